/** Which clusters a writer gives to what it writes, and how they are chained. */
import { CoreError } from '@/core/errors';
import type { NewFileFacts } from '../port';
import { END, FREE, type AllocationTable } from './allocation-table';
import type { FatGeometry } from './boot-sector';
import type { ClusterRun } from './volume-state';

export class ClusterAllocator {
  readonly #end: number;
  #cursor = 2;
  #free = 0;

  /** @param table what is changed */
  constructor(
    private readonly geometry: FatGeometry,
    private readonly table: AllocationTable,
  ) {
    this.#end = geometry.clusterCount + 2;
    for (let c = 2; c < this.#end; c++) if (table.get(c) === FREE) this.#free += 1;
  }

  /** Clusters for content, in as many pieces as its facts ask for, not yet chained. @throws CoreError `fs.full` */
  runs(count: number, placement: NewFileFacts['placement']): ClusterRun[] {
    const pieces = Math.max(1, Math.min(placement?.fragments ?? 1, count));
    const each = Math.ceil(count / pieces);
    const runs: { start: number; length: number }[] = [];
    for (let left = count, piece = 0; left > 0; piece++) {
      const clusters = this.take(Math.min(each, left), piece === 0 ? placement?.near : undefined);
      left -= clusters.length;
      for (const cluster of clusters) {
        const last = runs.at(-1);
        if (last && last.start + last.length === cluster) last.length += 1;
        else runs.push({ start: cluster, length: 1 });
      }
      // A gap left behind each piece is what makes the next one lie apart.
      if (pieces > 1) this.#cursor = this.#wrap(this.#cursor + each);
    }
    return runs;
  }

  #wrap(cluster: number): number {
    return cluster < this.#end ? cluster : 2;
  }

  /**
   * The next free clusters from the cursor on, or from a place on the volume (0 its start, 1 its end).
   * @throws CoreError `fs.full`
   */
  take(count: number, near: number | undefined): number[] {
    if (count > this.#free) {
      const { clusterSize } = this.geometry;
      throw new CoreError('fs.full', { needed: count * clusterSize, free: this.#free * clusterSize });
    }
    if (near !== undefined) this.#cursor = this.#wrap(2 + Math.floor(near * (this.geometry.clusterCount - 1)));
    const out: number[] = [];
    while (out.length < count) {
      if (this.table.get(this.#cursor) === FREE) {
        out.push(this.#cursor);
        this.table.set(this.#cursor, END);
      }
      this.#cursor = this.#wrap(this.#cursor + 1);
    }
    this.#free -= count;
    return out;
  }

  /** Each cluster names the next one, and the last ends the chain. */
  chain(runs: readonly ClusterRun[]): void {
    runs.forEach((run, i) => {
      for (let c = run.start; c < run.start + run.length - 1; c++) this.table.set(c, c + 1);
      this.table.set(run.start + run.length - 1, runs[i + 1]?.start ?? END);
    });
  }
}
