/**
 * Where the content of new files goes: into their records, into clusters, with their holes, or compressed.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “Attribute Header” and “Compression”.
 */
import { isZeros } from '@/core/bytes';
import { bytesOf, fillFree, lengthOf, piecesOf } from '../fill';
import { COMPRESSED } from '../kind-facts';
import type { ContentRun, NewContent, NewFileFacts, Transaction } from '../port';
import type { NtfsGeometry } from './boot-sector';
import type { NewAttribute } from './build-record';
import type { ClusterAllocator } from './cluster-allocator';
import { UnitCompressor } from './compress';
import { canCompress } from './kinds';
import { ATTRIBUTE_FLAG, TYPE } from './record';
import { appendRun, HOLE, type DataRun } from './runlist';
import { HOLE_CLUSTERS, sparseStretches } from './sparse';

/** Content up to this stays in the record. */
export const RESIDENT_LIMIT = 400;
const SPARSE = 'sparse';

export class ContentStore {
  #compressor: UnitCompressor | undefined;

  constructor(
    private readonly geometry: NtfsGeometry,
    private readonly clusters: ClusterAllocator,
    private readonly tx: Transaction,
  ) {}

  /** Content in the record when it is short, else in clusters. */
  async data(name: string, content: NewContent, facts: NewFileFacts): Promise<NewAttribute> {
    const size = lengthOf(content);
    const packed = isCompressed(facts) && content.kind !== 'procedural';
    if (packed && size > RESIDENT_LIMIT) return { ...(await this.#storeCompressed(content, isSparse(facts))), name };
    if (isSparse(facts) && content.kind === 'from') return { ...(await this.#storeSparse(content)), name };
    if (content.kind !== 'procedural' && size <= RESIDENT_LIMIT)
      return {
        type: TYPE.data,
        name,
        value: (await bytesOf(content)).slice(),
        ...(packed ? { flags: ATTRIBUTE_FLAG.byUnits } : {}),
      };
    return { ...(await this.#store(content, size, facts)), name };
  }

  async #store(content: NewContent, size: number, { placement }: NewFileFacts): Promise<NewAttribute> {
    const { clusterSize } = this.geometry;
    const count = Math.ceil(size / clusterSize);
    const pieces = Math.max(1, Math.min(placement?.fragments ?? 1, count));
    const each = Math.ceil(count / pieces);
    const runs: DataRun[] = [];
    for (let left = count; left > 0;) {
      for (const run of this.clusters.take(Math.min(each, left), left === count ? placement?.near : undefined)) {
        appendRun(runs, run);
        left -= run.length;
      }
      if (pieces > 1) this.clusters.skip(each);
    }
    const rooms = runs.map(({ lcn, length }) => ({ offset: lcn * clusterSize, length: length * clusterSize }));
    await fillFree(this.tx, rooms, content);
    return { type: TYPE.data, runs, allocated: count * clusterSize, size };
  }

  /** Holes stay holes. */
  async #storeSparse({ runs: content, size, device }: Extract<NewContent, { kind: 'from' }>): Promise<NewAttribute> {
    const { clusterSize } = this.geometry;
    const runs: DataRun[] = [];
    let [at, stored] = [0, 0];
    const hole = (end: number): void => {
      if (end > at) appendRun(runs, { lcn: HOLE, length: (end - at) / clusterSize });
    };
    for await (const stretch of sparseStretches(content, size, clusterSize)) {
      const { start, end, length } = stretch;
      hole(start);
      const own = this.clusters.take((end - start) / clusterSize);
      for (const run of own) appendRun(runs, run);
      const rooms = own.map((run) => ({ offset: run.lcn * clusterSize, length: run.length * clusterSize }));
      await fillFree(this.tx, rooms, { kind: 'from', device, runs: inOrder(stretch.runs), size: length });
      [at, stored] = [end, stored + (end - start)];
    }
    const unit = HOLE_CLUSTERS * clusterSize;
    const allocated = Math.ceil(size / unit) * unit;
    hole(allocated);
    return { type: TYPE.data, flags: ATTRIBUTE_FLAG.sparse, runs, allocated, stored, size };
  }

  /** Each unit as short as it can be, in whole clusters with a hole behind them; or as it is, where that saves none. */
  async #storeCompressed(content: Exclude<NewContent, { kind: 'procedural' }>, sparse: boolean): Promise<NewAttribute> {
    const { clusterSize } = this.geometry;
    const unit = HOLE_CLUSTERS * clusterSize;
    const compressor = (this.#compressor ??= new UnitCompressor());
    const packed = new Uint8Array(unit);
    const runs: DataRun[] = [];
    let [units, stored] = [0, 0];
    for await (const piece of piecesOf(content, unit)) {
      units += 1;
      if (!piece || isZeros(piece)) {
        appendRun(runs, { lcn: HOLE, length: HOLE_CLUSTERS });
        continue;
      }
      const short = compressor.compress(piece, packed, unit - clusterSize);
      const count = short ? Math.ceil(short.length / clusterSize) : HOLE_CLUSTERS;
      if (short) packed.fill(0, short.length, count * clusterSize);
      await this.#put(short ? packed : piece, count, runs);
      if (count < HOLE_CLUSTERS) appendRun(runs, { lcn: HOLE, length: HOLE_CLUSTERS - count });
      stored += count * clusterSize;
    }
    const flags = ATTRIBUTE_FLAG.byUnits | (sparse ? ATTRIBUTE_FLAG.sparse : 0);
    return { type: TYPE.data, flags, runs, allocated: units * unit, stored, size: lengthOf(content) };
  }

  /** Bytes go to so many free clusters, which are added to the runs. */
  async #put(bytes: Uint8Array, count: number, runs: DataRun[]): Promise<void> {
    const { clusterSize } = this.geometry;
    let done = 0;
    for (const run of this.clusters.take(count)) {
      appendRun(runs, run);
      const length = run.length * clusterSize;
      await this.tx.writeFree(run.lcn * clusterSize, bytes.subarray(done, done + length));
      done += length;
    }
  }
}

/** What is told of a file, without what it can't be stored as. */
export const storable = (facts: NewFileFacts, { kind }: NewContent, { clusterSize }: NtfsGeometry): NewFileFacts =>
  isCompressed(facts) && (kind === 'procedural' || !canCompress(clusterSize))
    ? { ...facts, attributes: facts.attributes!.filter((word) => word !== COMPRESSED) }
    : facts;

/** How a file is stored, as far as its named streams are stored like it. */
export const storedLike = ({ attributes = [] }: NewFileFacts): NewFileFacts => ({
  attributes: attributes.filter((word) => word === SPARSE || word === COMPRESSED),
});

const isCompressed = ({ attributes }: NewFileFacts): boolean => attributes?.includes(COMPRESSED) ?? false;
const isSparse = ({ attributes }: NewFileFacts): boolean => attributes?.includes(SPARSE) ?? false;

async function* inOrder(runs: readonly ContentRun[]): AsyncGenerator<ContentRun> {
  yield* runs;
}
