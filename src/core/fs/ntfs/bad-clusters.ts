/** The clusters that a volume has out of use: stretches of a stream as long as the volume, whose holes are sound. */
import { Retired } from '../retired';
import type { Mft } from './mft';
import { TYPE } from './record';

/** The number of the file that has them. */
export const BAD = 8;

export const badStream = (mft: Mft) =>
  mft.files.get(BAD)?.streams.find((s) => s.type === TYPE.data && s.name === '$Bad');

/** Numbers of clusters. */
export const badClusters = (mft: Mft): Retired =>
  new Retired((badStream(mft)?.runs ?? []).flatMap((r) => (r.lcn < 0 ? [] : [{ start: r.lcn, length: r.length }])));
