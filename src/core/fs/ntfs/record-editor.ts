/** Changing a record: its attributes as raw runs of bytes, put together again with a new update sequence. */
import { CoreError } from '@/core/errors';
import { applyFixup, buildAttribute, type NewAttribute } from './build-record';
import { parseAttributes, RECORD, recordOf, TYPE, undoFixup, type Attribute } from './record';
import { encodeRuns, type DataRun } from './runlist';

const align8 = (n: number): number => Math.ceil(n / 8) * 8;

interface Piece {
  readonly attribute: Attribute;
  readonly raw: Uint8Array;
}

/** Sizes of a non-resident attribute that change with its runs. */
export interface RunSizes {
  readonly allocated?: number;
  readonly size?: number;
  readonly initialised?: number;
}

export class RecordEditor {
  #pieces: Piece[];
  #nextId: number | undefined;

  /** @param bytes the record as it is on the disk; it is copied */
  constructor(
    readonly number: number,
    private readonly bytes: Uint8Array,
  ) {
    const record = bytes.slice();
    const attributes = undoFixup(record) === 'ok' ? parseAttributes(record) : undefined;
    if (!attributes)
      throw new CoreError('fs.damaged', { fileSystem: 'NTFS', reason: `record ${number} makes no sense`, offset: 0 });
    let at = RECORD.decode(record).attributesOffset;
    this.#pieces = attributes.map((attribute) => {
      const length = new DataView(record.buffer, at + 4, 4).getUint32(0, true);
      const piece = { attribute, raw: record.slice(at, at + length) };
      at += length;
      return piece;
    });
    this.bytes = record;
  }

  /** The record this one extends, or itself. */
  get baseRecord(): number {
    const { base } = RECORD.decode(this.bytes);
    return base === 0n ? this.number : recordOf(base);
  }

  get attributes(): readonly Attribute[] {
    return this.#pieces.map((p) => p.attribute);
  }

  /** Gives a non-resident attribute other runs. */
  setRuns(attribute: Attribute, runs: readonly DataRun[], sizes: RunSizes = {}): void {
    this.#replace(attribute, (raw) => {
      const view = new DataView(raw.buffer, raw.byteOffset, raw.length);
      const pairsAt = view.getUint16(32, true);
      const pairs = encodeRuns(runs);
      const out = new Uint8Array(align8(pairsAt + pairs.length));
      out.set(raw.subarray(0, pairsAt));
      out.set(pairs, pairsAt);
      const to = new DataView(out.buffer);
      to.setUint32(4, out.length, true);
      const clusters = runs.reduce((sum, run) => sum + run.length, 0);
      to.setBigInt64(24, BigInt(attribute.lowestVcn + clusters - 1), true);
      if (sizes.allocated !== undefined) to.setBigUint64(40, BigInt(sizes.allocated), true);
      if (sizes.size !== undefined) to.setBigUint64(48, BigInt(sizes.size), true);
      if (sizes.initialised !== undefined) to.setBigUint64(56, BigInt(sizes.initialised), true);
      return out;
    });
  }

  /** Gives a resident attribute another value. */
  setValue(attribute: Attribute, value: Uint8Array): void {
    this.#replace(attribute, (raw) => {
      const view = new DataView(raw.buffer, raw.byteOffset, raw.length);
      const valueAt = view.getUint16(20, true);
      const out = new Uint8Array(align8(valueAt + value.length));
      out.set(raw.subarray(0, valueAt));
      out.set(value, valueAt);
      new DataView(out.buffer).setUint32(4, out.length, true);
      new DataView(out.buffer).setUint32(16, value.length, true);
      return out;
    });
  }

  /** Takes out the attributes of a name and these types and puts others in their place, in ascending order of type. */
  replaceNamed(name: string, types: readonly number[], attributes: readonly NewAttribute[]): void {
    const kept = this.#pieces.filter((p) => p.attribute.name !== name || !types.includes(p.attribute.type));
    let id = kept.reduce((most, p) => Math.max(most, p.attribute.id), 0);
    const added = attributes.map((attribute) => {
      id += 1;
      const raw = buildAttribute(attribute, id);
      return { type: attribute.type, raw };
    });
    const all = [
      ...kept.map((p) => ({ type: p.attribute.type, raw: p.raw, attribute: p.attribute })),
      ...added.map((a) => ({ ...a, attribute: undefined })),
    ];
    all.sort((a, b) => a.type - b.type);
    this.#pieces = all.map(({ type, raw, attribute }) => ({
      raw,
      attribute: attribute ?? placeholder(type, name, raw),
    }));
    this.#nextId = id + 1;
  }

  #replace(attribute: Attribute, change: (raw: Uint8Array) => Uint8Array): void {
    const at = this.#pieces.findIndex((p) => p.attribute === attribute);
    if (at < 0) throw new RangeError(`record ${this.number} has no such attribute`);
    this.#pieces[at] = { attribute, raw: change(this.#pieces[at]!.raw) };
  }

  /** The record for the disk. @throws CoreError `fs.record-full` */
  build(): Uint8Array {
    const header = RECORD.decode(this.bytes);
    const out = this.bytes.slice();
    out.fill(0, header.attributesOffset);
    let at = header.attributesOffset;
    for (const { raw } of this.#pieces) {
      if (at + raw.length + 8 > out.length) throw new CoreError('fs.record-full', { record: this.number });
      out.set(raw, at);
      at += raw.length;
    }
    new DataView(out.buffer).setUint32(at, TYPE.end, true);
    RECORD.encode({ bytesUsed: at + 8, ...(this.#nextId === undefined ? {} : { nextId: this.#nextId }) }, out);
    applyFixup(out, header.sequenceOffset);
    return out;
  }
}

/** An attribute that was put in; it is not changed again before the record is built. */
function placeholder(type: number, name: string, raw: Uint8Array): Attribute {
  const id = new DataView(raw.buffer, raw.byteOffset, 16).getUint16(14, true);
  const sizes = { allocatedSize: 0, dataSize: 0, initialisedSize: 0 };
  return { type, name, id, flags: 0, lowestVcn: 0, highestVcn: -1, compressionUnit: 0, ...sizes };
}
