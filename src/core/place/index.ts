export { HERE, isHere, stretchOf } from './place';
export type { DiskId, Place, Stretch } from './place';
