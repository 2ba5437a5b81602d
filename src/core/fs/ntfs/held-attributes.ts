/**
 * A file's attributes, each whole, from the pieces that its records hold.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$ATTRIBUTE_LIST” and “Attribute Header”.
 */
import { buildAttribute, type NewAttribute } from './build-record';
import { damaged } from './damaged';
import { parseAttributes, type Attribute } from './attribute-cursor';
import { NON_RESIDENT, RECORD, RESIDENT, undoFixup } from './record';
import type { HeldAttribute } from './record-packer';
import { clustersOf, decodeRuns, type DataRun } from './runlist';

/** Sizes of a volume that its records depend on. */
export interface RecordSizes {
  readonly recordSize: number;
  readonly clusterSize: number;
  readonly clusterCount: number;
}

/** An attribute as it stands in one record, with its bytes. */
export interface Piece {
  readonly attribute: Attribute;
  readonly raw: Uint8Array;
}

/** The value of a resident attribute. */
export function valueIn({ head }: HeldAttribute): Uint8Array {
  const { valueLength, valueOffset } = RESIDENT.decode(head);
  return head.subarray(valueOffset, valueOffset + valueLength);
}

/** A new attribute as one that is held. */
export function holdNew(attribute: NewAttribute): HeldAttribute {
  const raw = buildAttribute(attribute, 0);
  const shared = { type: attribute.type, name: attribute.name ?? '' };
  if ('value' in attribute) return { ...shared, head: raw };
  return { ...shared, head: raw.slice(0, NON_RESIDENT.decode(raw).pairsOffset), runs: attribute.runs };
}

/** The attributes of a record with their bytes. The update sequence of `record` is undone in place. */
export function piecesOf(number: number, record: Uint8Array): Piece[] {
  const attributes = undoFixup(record) === 'ok' ? parseAttributes(record) : undefined;
  if (!attributes) throw damaged(`record ${number} makes no sense`);
  let at = RECORD.decode(record).attributesOffset;
  return attributes.map((attribute) => {
    const length = new DataView(record.buffer, record.byteOffset + at + 4, 4).getUint32(0, true);
    const raw = record.slice(at, at + length);
    at += length;
    return { attribute, raw };
  });
}

/** Pieces of one runlist as one, in order of their VCNs. @throws CoreError `fs.damaged` when one is missing */
export function join(pieces: readonly Piece[], number: number, sizes: RecordSizes): HeldAttribute[] {
  const out: HeldAttribute[] = [];
  const streams = new Map<string, Piece[]>();
  for (const piece of pieces) {
    const { type, name, pairs } = piece.attribute;
    if (!pairs) {
      out.push({ type, name, head: piece.raw });
      continue;
    }
    const known = streams.get(`${type}:${name}`);
    if (known) known.push(piece);
    else streams.set(`${type}:${name}`, [piece]);
  }
  for (const list of streams.values()) {
    list.sort((a, b) => a.attribute.lowestVcn - b.attribute.lowestVcn);
    const runs: DataRun[] = [];
    let vcn = 0;
    for (const { attribute } of list) {
      if (attribute.lowestVcn !== vcn) throw damaged(`a stream of record ${number} has a gap`);
      const more = runsIn(attribute, number, sizes);
      for (const run of more) runs.push(run);
      vcn += clustersOf(more);
    }
    const { attribute, raw } = list[0]!;
    const { type, name } = attribute;
    out.push({ type, name, head: raw.slice(0, NON_RESIDENT.decode(raw).pairsOffset), runs });
  }
  return out;
}

/** The runs of a piece. @throws CoreError `fs.damaged` */
export function runsIn(attribute: Attribute, number: number, { clusterCount }: RecordSizes): DataRun[] {
  const runs = decodeRuns(attribute.pairs!, clusterCount, Number.MAX_SAFE_INTEGER);
  if (!runs) throw damaged(`a runlist of record ${number} makes no sense`);
  return runs;
}
