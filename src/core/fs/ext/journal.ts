/**
 * The journal of ext3 and ext4: what was written to it and not yet to where it belongs.
 *
 * “ext4 Data Structures and Algorithms”, “Journal (jbd2)”. Everything in it is big-endian. Transactions are taken as far
 * as they are whole: each ends with a commit block of its number, and with checksums everything of it must agree.
 */
import { crc32c } from '@/core/bytes';
import { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { Extent } from './block-map';
import type { Geometry } from './superblock';

const MAGIC = 0xc03b3998;
const BLOCK = { descriptor: 1, commit: 2, superOld: 3, super: 4, revoke: 5 } as const;
const FEATURE = { revoke: 1, wide: 2, asyncCommit: 4, checksums2: 8, checksums3: 16, fastCommit: 32 } as const;
const KNOWN = FEATURE.revoke | FEATURE.wide | FEATURE.asyncCommit | FEATURE.checksums2 | FEATURE.checksums3;
const TAG = { escaped: 1, sameUuid: 2, last: 8 } as const;
const HEAD_BYTES = 12;
const AT = { length: 0x10, first: 0x14, sequence: 0x18, start: 0x1c, incompat: 0x28, uuid: 0x30, checksum: 0xfc };

/** Blocks as the journal has them, by where they belong. */
export type Replayed = ReadonlyMap<number, Uint8Array>;

const damaged = (reason: string): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'ext', reason: `its journal ${reason}`, offset: 0 });

/** The journal as it is read: by blocks of its own. */
export class Journal {
  readonly #view: DataView;
  readonly #features: number;
  readonly #seed: number;
  readonly #end: number;

  private constructor(
    private readonly device: BlockDevice,
    private readonly g: Geometry,
    private readonly places: Float64Array,
    readonly head: Uint8Array,
  ) {
    this.#view = new DataView(head.buffer, head.byteOffset, head.length);
    this.#features = this.#view.getUint32(4) === BLOCK.super ? this.#view.getUint32(AT.incompat) : 0;
    this.#seed = crc32c(head.subarray(AT.uuid, AT.uuid + 16));
    this.#end = Math.min(this.#view.getUint32(AT.length), places.length);
  }

  /** @throws CoreError `fs.damaged` where it has no superblock */
  static async open(device: BlockDevice, g: Geometry, extents: readonly Extent[]): Promise<Journal> {
    const count = extents.reduce((most, e) => Math.max(most, e.logical + e.length), 0);
    const places = new Float64Array(Math.min(count, g.blockCount)).fill(-1);
    for (const { logical, block, length } of extents)
      for (let i = 0; i < length && logical + i < places.length; i++) places[logical + i] = block + i;
    if (places.length === 0 || places[0]! < 0) throw damaged('has no blocks');
    const head = await device.bytes(places[0]! * g.blockSize, g.blockSize);
    const view = new DataView(head.buffer);
    const type = view.getUint32(4);
    if (view.getUint32(0) !== MAGIC || (type !== BLOCK.super && type !== BLOCK.superOld))
      throw damaged('has no superblock');
    if (view.getUint32(0xc) !== g.blockSize) throw damaged('has blocks of another size');
    return new Journal(device, g, places, head);
  }

  /** Whether something in it is still to be written. */
  get pending(): boolean {
    return this.#view.getUint32(AT.start) !== 0;
  }

  /** Where its superblock stands. */
  get headAt(): number {
    return this.places[0]! * this.g.blockSize;
  }

  /** Features that make it impossible to know what is in it, in words. */
  get unknown(): string | undefined {
    if (this.#features & FEATURE.fastCommit) return 'has fast commits, which only its own system can bring in';
    return this.#features & ~KNOWN ? 'has features that are not known here' : undefined;
  }

  /** The journal's superblock once nothing is pending: where the next transaction begins. */
  emptied(): Uint8Array {
    const out = this.head.slice();
    const view = new DataView(out.buffer);
    view.setUint32(AT.sequence, this.#last + 2);
    view.setUint32(AT.start, 0);
    if (this.#features & (FEATURE.checksums2 | FEATURE.checksums3)) {
      view.setUint32(AT.checksum, 0);
      view.setUint32(AT.checksum, crc32c(out.subarray(0, 1024)));
    }
    return out;
  }

  #last = 0;

  /** All blocks that are still to be written, the last of each. @throws CoreError `fs.damaged`, `device.read-failed` */
  async replayed(): Promise<Replayed> {
    const out = new Map<number, Uint8Array>();
    this.#last = this.#view.getUint32(AT.sequence);
    if (!this.pending) return out;
    const written: { block: number; at: number; escaped: boolean; sequence: number }[] = [];
    const revoked = new Map<number, number>();
    const first = this.#view.getUint32(AT.first);
    let at = this.#view.getUint32(AT.start);
    if (first < 1 || first >= this.#end || at < first || at >= this.#end) throw damaged('begins where it can’t');
    let sequence = this.#last;
    let open: typeof written = [];
    let gone: number[] = [];
    const next = (n: number): number => (n + 1 >= this.#end ? first : n + 1);
    for (let steps = 0; steps < this.#end; steps++) {
      const block = await this.#block(at);
      const view = new DataView(block.buffer);
      if (view.getUint32(0) !== MAGIC || view.getUint32(8) !== sequence) break;
      const type = view.getUint32(4);
      at = next(at);
      if (type === BLOCK.descriptor) {
        if (!this.#isTailSealed(block)) break;
        const tags = this.#tags(block);
        let sound = true;
        for (const tag of tags) {
          if (!(await this.#isDataSealed(tag, at, sequence))) sound = false;
          open.push({ block: tag.block, at, escaped: tag.escaped, sequence });
          at = next(at);
          steps += 1;
        }
        if (!sound) break;
      } else if (type === BLOCK.revoke) {
        if (!this.#isTailSealed(block)) break;
        gone.push(...this.#revoked(block));
      } else if (type === BLOCK.commit) {
        if (!this.#isCommitSealed(block)) break;
        for (const block of open) written.push(block);
        for (const number of gone) revoked.set(number, sequence);
        [open, gone] = [[], []];
        this.#last = sequence;
        sequence = (sequence + 1) >>> 0;
      } else break;
    }
    for (const { block, at: from, escaped, sequence: of } of written) {
      if ((revoked.get(block) ?? -1) >= of) continue;
      if (block < 0 || block >= this.g.blockCount) throw damaged('would write outside the volume');
      const bytes = await this.#block(from);
      if (escaped) new DataView(bytes.buffer).setUint32(0, MAGIC);
      out.set(block, bytes);
    }
    return out;
  }

  #block(n: number): Promise<Uint8Array<ArrayBuffer>> {
    const place = this.places[n] ?? -1;
    if (place < 0) throw damaged('has a hole');
    return this.device.bytes(place * this.g.blockSize, this.g.blockSize) as Promise<Uint8Array<ArrayBuffer>>;
  }

  get #summed(): boolean {
    return (this.#features & (FEATURE.checksums2 | FEATURE.checksums3)) !== 0;
  }

  #isTailSealed(block: Uint8Array): boolean {
    if (!this.#summed) return true;
    const stored = new DataView(block.buffer, block.byteOffset).getUint32(block.length - 4);
    return stored === crc32c(new Uint8Array(4), crc32c(block.subarray(0, block.length - 4), this.#seed));
  }

  #isCommitSealed(block: Uint8Array): boolean {
    if (!this.#summed) return true;
    const copy = block.slice();
    const view = new DataView(copy.buffer);
    const stored = view.getUint32(0x10);
    view.setUint32(0x10, 0);
    return stored === crc32c(copy, this.#seed);
  }

  async #isDataSealed({ sum }: Tag, at: number, sequence: number): Promise<boolean> {
    if (sum === undefined) return true;
    const own = new Uint8Array(4);
    new DataView(own.buffer).setUint32(0, sequence);
    const found = crc32c(await this.#block(at), crc32c(own, this.#seed));
    return this.#features & FEATURE.checksums3 ? found === sum : (found & 0xffff) === sum;
  }

  #tags(block: Uint8Array): Tag[] {
    const view = new DataView(block.buffer, block.byteOffset, block.length);
    const [three, two, wide] = [FEATURE.checksums3, FEATURE.checksums2, FEATURE.wide].map(
      (f) => (this.#features & f) !== 0,
    );
    const size = three ? 16 : 8 + (two ? 2 : 0) + (wide ? 4 : 0);
    const end = block.length - (this.#summed ? 4 : 0);
    const out: Tag[] = [];
    for (let at = HEAD_BYTES; at + size <= end;) {
      const flags = three ? view.getUint32(at + 4) : view.getUint16(at + 6);
      const high = wide ? view.getUint32(at + 8) : 0;
      const sum = three ? view.getUint32(at + 12) : two ? view.getUint16(at + 4) : undefined;
      out.push({ block: view.getUint32(at) + high * 2 ** 32, escaped: (flags & TAG.escaped) !== 0, sum });
      at += size + (flags & TAG.sameUuid ? 0 : 16);
      if (flags & TAG.last) break;
    }
    return out;
  }

  #revoked(block: Uint8Array): number[] {
    const view = new DataView(block.buffer, block.byteOffset, block.length);
    const end = Math.min(view.getUint32(HEAD_BYTES), block.length);
    const width = this.#features & FEATURE.wide ? 8 : 4;
    const out: number[] = [];
    for (let at = HEAD_BYTES + 4; at + width <= end; at += width)
      out.push(width === 8 ? view.getUint32(at) * 2 ** 32 + view.getUint32(at + 4) : view.getUint32(at));
    return out;
  }
}

interface Tag {
  readonly block: number;
  readonly escaped: boolean;
  readonly sum: number | undefined;
}

/** A volume as it is once its journal is brought in. Only what is read differs; nothing is written. */
export class ReplayedDevice extends BlockDevice {
  constructor(
    private readonly inner: BlockDevice,
    private readonly blocks: Replayed,
    private readonly blockSize: number,
  ) {
    super();
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    await this.inner.read(offset, into);
    const [first, last] = [offset, offset + into.length - 1].map((at) => Math.floor(at / this.blockSize)) as [
      number,
      number,
    ];
    const put = (block: number, bytes: Uint8Array): void => {
      const start = block * this.blockSize;
      const [from, to] = [Math.max(offset, start), Math.min(offset + into.length, start + this.blockSize)];
      if (from < to) into.set(bytes.subarray(from - start, to - start), from - offset);
    };
    if (last - first < this.blocks.size) {
      for (let block = first; block <= last; block++) {
        const bytes = this.blocks.get(block);
        if (bytes) put(block, bytes);
      }
    } else for (const [block, bytes] of this.blocks) put(block, bytes);
  }

  /** @throws RangeError always: what is written goes through a transaction */
  protected override writeAt(): Promise<void> {
    throw new RangeError('what is brought in from a journal is only read');
  }

  protected override sourcesAt(offset: number, length: number): ReturnType<BlockDevice['sources']> {
    for (const block of this.blocks.keys()) {
      const start = block * this.blockSize;
      if (start < offset + length && offset < start + this.blockSize) return undefined;
    }
    return this.inner.sources(offset, length);
  }
}

/** The superblock of a new journal, with as many blocks as it has. */
export function newJournalHead(g: Pick<Geometry, 'blockSize'>, length: number, uuid: Uint8Array): Uint8Array {
  const out = new Uint8Array(g.blockSize);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC);
  view.setUint32(4, BLOCK.super);
  view.setUint32(0xc, g.blockSize);
  view.setUint32(AT.length, length);
  view.setUint32(AT.first, 1);
  view.setUint32(AT.sequence, 1);
  out.set(uuid, AT.uuid);
  view.setUint32(0x40, 1);
  return out;
}
