/** Clusters for what is added to a volume, taken in order from where the last ones were. */
import { CoreError } from '@/core/errors';
import { countSet, nextBit, setBits } from '../bitmap';
import type { Reserved } from './adopt';
import type { ChangeInput } from './change';
import { appendRun, type DataRun } from './runlist';

export class ClusterAllocator {
  readonly #bitmap: Uint8Array;
  readonly #count: number;
  readonly #clusterSize: number;
  /** Clusters that were reserved and have a file now. */
  readonly #adopted: DataRun[] = [];
  #cursor = 0;
  #free: number;

  constructor(
    { bitmap, geometry }: ChangeInput,
    private readonly reserved: Reserved | undefined,
  ) {
    this.#bitmap = bitmap.slice();
    this.#count = geometry.clusterCount;
    this.#clusterSize = geometry.clusterSize;
    this.#setReserved(true);
    this.#free = this.#count - countSet(this.#bitmap, this.#count);
  }

  #setReserved(taken: boolean): void {
    if (this.reserved) setBits(this.#bitmap, this.reserved.lcn, this.reserved.lcn + this.reserved.length, taken);
  }

  /** The bitmap as it is to be: of what was reserved, only what was adopted is taken. */
  finish(): { readonly bitmap: Uint8Array; readonly count: number } {
    this.#setReserved(false);
    for (const { lcn, length } of this.#adopted) setBits(this.#bitmap, lcn, lcn + length, true);
    return { bitmap: this.#bitmap, count: this.#count };
  }

  adopt(runs: readonly DataRun[]): void {
    for (const run of runs) if (run.lcn >= 0) this.#adopted.push(run);
  }

  /** Leaves room behind what was taken last, so that the next lies apart from it. */
  skip(clusters: number): void {
    this.#cursor = (this.#cursor + clusters) % this.#count;
  }

  /**
   * The next free clusters, marked as taken.
   * @param near where on the volume, 0 its start and 1 its end; from where the last ones were when left out
   * @throws CoreError `fs.full`
   */
  take(count: number, near?: number): DataRun[] {
    if (count > this.#free)
      throw new CoreError('fs.full', { needed: count * this.#clusterSize, free: this.#free * this.#clusterSize });
    if (near !== undefined) this.#cursor = Math.min(this.#count - 1, Math.floor(near * this.#count));
    const runs: DataRun[] = [];
    for (let left = count; left > 0;) {
      const start = nextBit(this.#bitmap, this.#cursor, this.#count, false);
      const length = nextBit(this.#bitmap, start, Math.min(this.#count, start + left), true) - start;
      if (length > 0) {
        setBits(this.#bitmap, start, start + length, true);
        appendRun(runs, { lcn: start, length });
        left -= length;
      }
      this.#cursor = (start + length) % this.#count;
    }
    this.#free -= count;
    return runs;
  }
}
