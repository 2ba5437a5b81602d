/** What is in use of a volume's clusters, and what of that has an owner. */
import { isSet, setBits } from '../bitmap';
import { BAD, type ExfatTree } from './owner';

/** Whether a cluster is in use, or bad. */
export function isTaken({ taken }: ExfatTree, cluster: number): boolean {
  return isSet(taken, cluster - 2);
}

/** A bit for every cluster that an owner has. */
export function ownedBits({ owners }: ExfatTree, clusterCount: number): Uint8Array {
  const out = new Uint8Array(Math.ceil(clusterCount / 8));
  for (const { runs } of owners)
    for (const { start, length } of runs) setBits(out, start - 2, start - 2 + length, true);
  return out;
}

/** A bit for every cluster that is marked as bad. */
export function badClusters(fat: Uint32Array, clusterCount: number): Uint8Array {
  const out = new Uint8Array(Math.ceil(clusterCount / 8));
  for (let cluster = fat.indexOf(BAD, 2); cluster >= 0 && cluster < clusterCount + 2;) {
    setBits(out, cluster - 2, cluster - 1, true);
    cluster = fat.indexOf(BAD, cluster + 1);
  }
  return out;
}
