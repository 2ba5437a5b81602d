/** What has clusters on an exFAT volume, and how its content is read. */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import type { FileTimes } from '../entry';
import type { Run } from '../free-space';
import { readPieces } from '../read-pieces';
import { clusterOffset, type ExfatGeometry } from './boot-region';

export const END = 0xffffffff;
export const BAD = 0xfffffff7;

/** Of what has no entry of a file. */
export const NO_TIMES = (): FileTimes => ({});

/** What has clusters of its own. Runs are of cluster numbers. */
export interface Owner {
  readonly kind: 'bitmap' | 'upcase' | 'root' | 'folder' | 'file' | 'other';
  readonly path: string;
  readonly runs: readonly Run[];
  /** Clusters follow each other without the allocation table. */
  readonly contiguous: boolean;
  readonly size: number;
  readonly validSize: number;
  readonly attributes: number;
  /** Put into words when they are asked for. */
  times(): FileTimes;
  /** The folder its entry is in, and where in it the set and the entry with the first cluster begin; none for the root. */
  readonly at?: { readonly folder: Owner; readonly set: number; readonly setBytes: number; readonly entry: number };
}

export interface ExfatTree {
  readonly fat: Uint32Array;
  readonly owners: readonly Owner[];
  readonly root: Owner;
  readonly bitmap: Owner;
  readonly bits: Uint8Array;
  /** The bad clusters in the same way, and both together: what nobody may use. */
  readonly bad: Uint8Array;
  readonly taken: Uint8Array;
  readonly upcase: Uint16Array;
  readonly label: string;
  /** Where in the root the label's entry stands, if it has one. */
  readonly labelAt: number | undefined;
  readonly findings: readonly Finding[];
}

/** How many clusters there are in runs. */
export const clustersOf = (runs: readonly Run[]): number => runs.reduce((sum, r) => sum + r.length, 0);

/** A stretch of a folder's or file's content, by its runs: what has no clusters is zeros. */
export async function readOwner(
  device: BlockDevice,
  g: ExfatGeometry,
  runs: readonly Run[],
  length: number,
): Promise<Uint8Array> {
  let left = length;
  const pieces = runs.flatMap((run) => {
    const part = Math.min(run.length * g.clusterSize, left);
    left -= part;
    return part > 0 ? [{ offset: clusterOffset(g, run.start), length: part }] : [];
  });
  const bytes = await readPieces(device, pieces);
  if (left === 0) return bytes;
  const out = new Uint8Array(length);
  out.set(bytes);
  return out;
}
