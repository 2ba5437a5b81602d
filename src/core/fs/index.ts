export { chosenFault } from './choices';
export { recogniseForeign, type Recognised } from './foreign';
export { whereOpen } from './mending';
export type { EntryKind, FileEntry, FileTimes, Kept } from './entry';
export { COMPRESSED, holdingsWith } from './kind-facts';
export type { Abilities, Chosen, Holdings, KindFacts } from './kind-facts';
export type {
  Adoption,
  Beyond,
  ByteRange,
  ContentRun,
  FileSystemDriver,
  Mend,
  NewContent,
  NewFileFacts,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from './port';
export { bytesBeyond, joinRanges, overlapsAny, totalOf } from './ranges';
export { abilitiesOf, findKind, kindFacts, makeableKinds, NO_ABILITIES } from './kinds';
export { driverOf, mendsIn, namedFault, probeFileSystem, tracesIn } from './registry';
