/**
 * Resizing an exFAT volume, and taking places of it out of use: every owner of clusters is given its new ones, then tables,
 * entries and boot regions change together.
 *
 * Shrinking carries in what lies past the new end. Growing past what the allocation table has room for moves the start
 * of the clusters: the first ones are carried behind, and all numbers change. A file whose clusters no longer follow
 * each other gets a chain.
 */
import { CoreError } from '@/core/errors';
import { countSet, onlyIn, runsOf, setBits } from '../bitmap';
import { FreeSpace, type Run } from '../free-space';
import type { Transaction } from '../port';
import type { Retired } from '../retired';
import { writeRegions, type ExfatState } from './boot-edits';
import { BOOT, clusterOffset, fatStart, REGION_SECTORS, type ExfatGeometry } from './boot-region';
import { ownedBits } from './cluster-bits';
import { FILE, setChecksum, STREAM, STREAM_FLAG } from './entries';
import { outside } from './new-geometry';
import { BAD, clustersOf, END, type Owner } from './owner';
import { writeDiffering } from './write-differing';

/** An owner with its clusters as they will be numbered. */
interface Moved {
  readonly owner: Owner;
  readonly runs: readonly Run[];
  readonly contiguous: boolean;
  readonly size: number;
}

/** One change of a volume: where every owner's clusters come to, and all that says so. */
export class Change {
  /** Clusters that went to the allocation table: old number minus this is the new one. */
  readonly #shift: number;
  readonly #moved = new Map<Owner, Moved>();
  readonly #free: FreeSpace;
  readonly #bits: Uint8Array;

  constructor(
    private readonly state: ExfatState,
    private readonly to: ExfatGeometry,
    private readonly tx: Transaction,
    private readonly reserved: Run,
    private readonly retired: Retired,
  ) {
    const { geometry: g } = state;
    this.#shift = ((to.heapSector - g.heapSector) * g.sectorSize) / g.clusterSize;
    this.#bits = new Uint8Array(Math.ceil(to.clusterCount / 8));
    this.#free = new FreeSpace(this.#freeRuns());
  }

  /** Free clusters before the new end, in new numbers. */
  #freeRuns(): Run[] {
    const { geometry: g, tree } = this.state;
    const shift = this.#shift;
    const behind = this.to.clusterCount + 2;
    const inOld = Math.min(g.clusterCount + 2, behind + shift);
    const runs = runsOf(tree.taken, shift, inOld - 2, false).map((r) => ({ ...r, start: r.start + 2 - shift }));
    if (inOld - shift < behind) {
      const last = runs.at(-1);
      if (last && last.start + last.length === inOld - shift) last.length = behind - last.start;
      else runs.push({ start: inOld - shift, length: behind - (inOld - shift) });
    }
    return this.retired.without(runs.flatMap((run) => outside(run, this.reserved)));
  }

  async run(): Promise<void> {
    for (const owner of this.state.tree.owners) await this.#move(owner);
    this.#sizeBitmap();
    this.#keepUnowned();
    for (const { start, length } of [this.reserved, ...this.retired.runs])
      setBits(this.#bits, start - 2, start - 2 + length, true);
    await this.#writeEntries();
    await this.#writeFat();
    await this.#writeBitmap();
    await this.#writeBoot();
  }

  /**
   * The case table stays in one piece: systems read it on from its first cluster, whatever the allocation table says.
   */
  async #moveTable(owner: Owner): Promise<void> {
    const { geometry: g } = this.state;
    const [first] = owner.runs;
    const start = first!.start - this.#shift;
    const inside = start >= 2 && start + first!.length <= this.to.clusterCount + 2;
    if (owner.runs.length === 1 && inside && !this.retired.meets(start, first!.length))
      return this.#put({ owner, runs: [{ start, length: first!.length }], contiguous: false, size: owner.size });
    const target = this.#takeTogether(clustersOf(owner.runs));
    let at = target.start;
    for (const run of owner.runs) {
      await this.tx.copy(clusterOffset(g, run.start), clusterOffset(this.to, at), run.length * g.clusterSize);
      at += run.length;
    }
    this.#put({ owner, runs: [target], contiguous: false, size: owner.size });
  }

  async #move(owner: Owner): Promise<void> {
    if (owner.kind === 'upcase') return this.#moveTable(owner);
    const runs: { start: number; length: number }[] = [];
    const add = (start: number, length: number): void => {
      const last = runs.at(-1);
      if (last && last.start + last.length === start) last.length += length;
      else runs.push({ start, length });
    };
    const [first, end] = [2, this.to.clusterCount + 2];
    for (const run of owner.runs) {
      for (let at = run.start - this.#shift; at < run.start - this.#shift + run.length;) {
        const stop = run.start - this.#shift + run.length;
        const inside = at >= first && at < end;
        const until = Math.min(stop, inside ? end : at < first ? first : stop);
        if (inside) await this.#stay(at, until - at, add);
        else for (const target of await this.#carry(at + this.#shift, until - at)) add(target.start, target.length);
        at = until;
      }
    }
    // What followed without a table does so as long as it is in one piece.
    this.#put({ owner, runs, contiguous: owner.contiguous && runs.length <= 1, size: owner.size });
  }

  /** What of a run inside the volume stays where it is, and where the rest goes. */
  async #stay(from: number, count: number, add: (start: number, length: number) => void): Promise<void> {
    for (const { start, length, lost } of this.retired.pieces(from, count)) {
      if (!lost) add(start, length);
      else for (const target of await this.#carry(start + this.#shift, length)) add(target.start, target.length);
    }
  }

  #put(moved: Moved): void {
    this.#moved.set(moved.owner, moved);
    for (const { start, length } of moved.runs) for (let c = start; c < start + length; c++) this.#mark(c);
  }

  #mark(cluster: number): void {
    this.#bits[(cluster - 2) >> 3]! |= 1 << ((cluster - 2) & 7);
  }

  /** Copies clusters, given by old numbers, to free ones, told by new numbers. */
  async #carry(from: number, length: number): Promise<Run[]> {
    const { geometry: g } = this.state;
    const targets = this.#take(length);
    let at = from;
    for (const target of targets) {
      const bytes = target.length * g.clusterSize;
      await this.tx.copy(clusterOffset(g, at), clusterOffset(this.to, target.start), bytes);
      at += target.length;
    }
    return targets;
  }

  #take(length: number): Run[] {
    const targets = this.#free.take(length);
    if (targets) return targets;
    const { clusterSize } = this.to;
    throw new CoreError('fs.full', { needed: length * clusterSize, free: this.#free.total * clusterSize });
  }

  /** Clusters that follow each other. @throws CoreError `fs.full` where there are none */
  #takeTogether(length: number): Run {
    const [run, ...more] = this.#take(length);
    if (run && more.length === 0) return run;
    const { clusterSize } = this.to;
    throw new CoreError('fs.full', { needed: length * clusterSize, free: (run?.length ?? 0) * clusterSize });
  }

  /**
   * The bitmap as long as the clusters are many, and in one piece: systems read it on from its first cluster, whatever the
   * allocation table says.
   */
  #sizeBitmap(): void {
    const { bitmap } = this.state.tree;
    const { runs } = this.#moved.get(bitmap)!;
    const size = this.#bits.length;
    const clusters = Math.ceil(size / this.to.clusterSize);
    for (const { start, length } of runs) setBits(this.#bits, start - 2, start - 2 + length, false);
    const [first] = runs;
    const stays = runs.length === 1 && first!.length >= clusters;
    const kept = stays ? { start: first!.start, length: clusters } : this.#takeTogether(clusters);
    this.#put({ owner: bitmap, runs: [kept], contiguous: false, size });
  }

  /** Bad clusters and those that belong to nobody stay marked where they are. */
  #keepUnowned(): void {
    const { geometry: g, tree } = this.state;
    const owned = ownedBits(tree, g.clusterCount);
    for (const { start, length } of onlyIn(tree.taken, owned, g.clusterCount)) {
      for (let old = start + 2; old < start + 2 + length; old++) {
        const cluster = old - this.#shift;
        if (cluster >= 2 && cluster < this.to.clusterCount + 2) this.#mark(cluster);
      }
    }
  }

  async #writeEntries(): Promise<void> {
    for (const { owner, runs, contiguous, size } of this.#moved.values()) {
      const { at } = owner;
      if (!at) continue;
      const firstCluster = runs[0]?.start ?? 0;
      const unchanged =
        firstCluster === (owner.runs[0]?.start ?? 0) && contiguous === owner.contiguous && size === owner.size;
      if (unchanged) continue;
      const length = Math.max(at.setBytes, 32);
      const set = await this.#readFolder(at.folder, at.set, length);
      const entry = at.entry - at.set;
      const stream = STREAM.decode(set, entry);
      const isSet = at.setBytes > 0;
      const flags = contiguous ? stream.flags | STREAM_FLAG.contiguous : stream.flags & ~STREAM_FLAG.contiguous;
      STREAM.encode({ firstCluster, ...(isSet ? { flags } : { length: BigInt(size) }) }, set, entry);
      if (isSet) FILE.encode({ checksum: setChecksum(set) }, set);
      await this.#writeFolder(at.folder, at.set, set);
    }
  }

  /** Bytes of a folder where they will lie, with what was gathered already. */
  async #readFolder(folder: Owner, from: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(length);
    for (const part of this.#parts(folder, from, length))
      await this.tx.read(part.offset, out.subarray(part.at, part.at + part.length));
    return out;
  }

  async #writeFolder(folder: Owner, from: number, bytes: Uint8Array): Promise<void> {
    for (const part of this.#parts(folder, from, bytes.length))
      await this.tx.write(part.offset, bytes.subarray(part.at, part.at + part.length));
  }

  *#parts(folder: Owner, from: number, length: number): Generator<{ offset: number; at: number; length: number }> {
    const { clusterSize } = this.to;
    let start = 0;
    for (const run of this.#moved.get(folder)!.runs) {
      const end = start + run.length * clusterSize;
      const [low, high] = [Math.max(start, from), Math.min(end, from + length)];
      if (low < high)
        yield { offset: clusterOffset(this.to, run.start) + low - start, at: low - from, length: high - low };
      start = end;
    }
  }

  async #writeFat(): Promise<void> {
    const { geometry: g, tree } = this.state;
    const entries = new Uint32Array((this.to.fatSectors * g.sectorSize) / 4);
    entries.set(tree.fat.subarray(0, 2));
    for (let old = 2; old < g.clusterCount + 2; old++)
      if (tree.fat[old] === BAD && old - this.#shift >= 2) entries[old - this.#shift] = BAD;
    for (const { start, length } of this.retired.runs) entries.fill(BAD, start, start + length);
    for (const { runs, contiguous } of this.#moved.values()) {
      if (contiguous) continue;
      runs.forEach((run, i) => {
        for (let c = run.start; c < run.start + run.length - 1; c++) entries[c] = c + 1;
        entries[run.start + run.length - 1] = runs[i + 1]?.start ?? END;
      });
    }
    await writeDiffering(
      this.tx,
      this.to.sectorSize,
      fatStart(this.to),
      new Uint8Array(entries.buffer),
      this.#shift === 0,
    );
  }

  async #writeBitmap(): Promise<void> {
    const { bitmap } = this.state.tree;
    await this.#writeFolder(bitmap, 0, this.#bits);
  }

  async #writeBoot(): Promise<void> {
    const { device, geometry: g, tree } = this.state;
    const used = countSet(this.#bits, this.to.clusterCount);
    const region = await device.bytes(0, REGION_SECTORS * g.sectorSize);
    BOOT.encode(
      {
        volumeLength: BigInt(this.to.volumeSectors),
        fatLength: this.to.fatSectors,
        heapOffset: this.to.heapSector,
        clusterCount: this.to.clusterCount,
        rootCluster: this.#moved.get(tree.root)!.runs[0]!.start,
        percentInUse: Math.floor((used * 100) / this.to.clusterCount),
      },
      region,
    );
    await writeRegions(region, g.sectorSize, this.tx);
  }
}
