export { HERE, isHere } from './place';
export type { DiskId, Place, Stretch, VolumeRef } from './place';
