/** Which clusters a writer gives to what it writes. */
import { CoreError } from '@/core/errors';
import { setBits } from '../bitmap';
import type { Run } from '../free-space';
import type { NewFileFacts, Transaction } from '../port';
import type { ExfatState } from './boot-edits';
import { clusterOffset } from './boot-region';
import { isTaken } from './cluster-bits';
import { countTaken } from './limits';

export class ClusterAllocator {
  readonly #bits: Uint8Array;
  #cursor = 2;
  #free: number;

  constructor(private readonly state: ExfatState) {
    this.#bits = state.tree.bits.slice();
    this.#free = state.geometry.clusterCount - countTaken(state.tree, state.geometry);
  }

  /** How many clusters nobody has. */
  get free(): number {
    return this.#free;
  }

  /** Clusters for content of so many bytes, in as many pieces as its facts ask for. @throws CoreError `fs.full` */
  store(size: number, placement: NewFileFacts['placement']): { start: number; length: number }[] {
    const count = Math.ceil(size / this.state.geometry.clusterSize);
    const pieces = Math.max(1, Math.min(placement?.fragments ?? 1, count));
    const each = Math.ceil(count / pieces);
    const runs: { start: number; length: number }[] = [];
    for (let left = count; left > 0;) {
      for (const run of this.allocate(Math.min(each, left), left === count ? placement?.near : undefined)) {
        const last = runs.at(-1);
        if (last && last.start + last.length === run.start) last.length += run.length;
        else runs.push(run);
        left -= run.length;
      }
      if (pieces > 1) this.#cursor = 2 + ((this.#cursor - 2 + each) % this.state.geometry.clusterCount);
    }
    return runs;
  }

  /**
   * The next free clusters from the cursor on, or from a place on the volume, marked as taken.
   * @throws CoreError `fs.full`
   */
  allocate(count: number, near: number | undefined): { start: number; length: number }[] {
    const { clusterCount, clusterSize } = this.state.geometry;
    if (count > this.#free)
      throw new CoreError('fs.full', { needed: count * clusterSize, free: this.#free * clusterSize });
    if (near !== undefined) this.#cursor = 2 + Math.min(clusterCount - 1, Math.floor(near * clusterCount));
    const runs: { start: number; length: number }[] = [];
    for (let left = count; left > 0;) {
      const bit = this.#cursor - 2;
      const byte = this.#bits[bit >> 3]!;
      // A whole byte of clusters in use is stepped over at once.
      if ((bit & 7) === 0 && byte === 0xff && bit + 8 <= clusterCount) {
        this.#cursor = 2 + ((bit + 8) % clusterCount);
        continue;
      }
      if ((byte & (1 << (bit & 7))) === 0 && !isTaken(this.state.tree, this.#cursor)) {
        this.#bits[bit >> 3]! |= 1 << (bit & 7);
        const last = runs.at(-1);
        if (last && last.start + last.length === this.#cursor) last.length += 1;
        else runs.push({ start: this.#cursor, length: 1 });
        left -= 1;
      }
      this.#cursor = 2 + ((bit + 1) % clusterCount);
    }
    this.#free -= count;
    return runs;
  }

  /** Clusters that somebody has, or nobody any more. */
  mark({ start, length }: Run, taken: boolean): void {
    setBits(this.#bits, start - 2, start - 2 + length, taken);
    this.#free += taken ? -length : length;
  }

  /** The bitmap as it has become. */
  async write(tx: Transaction): Promise<void> {
    const { geometry } = this.state;
    let done = 0;
    for (const { start, length } of this.state.tree.bitmap.runs) {
      const part = this.#bits.subarray(done, done + length * geometry.clusterSize);
      if (part.length > 0) await tx.write(clusterOffset(geometry, start), part);
      done += length * geometry.clusterSize;
    }
  }
}
