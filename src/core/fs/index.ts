export { chosenFault } from './choices';
export { recogniseForeign, type Recognised } from './foreign';
export { whereOpen } from './mending';
export type {
  Abilities,
  Adoption,
  Beyond,
  ByteRange,
  Chosen,
  ContentRun,
  EntryKind,
  FileEntry,
  FileSystemDriver,
  FileTimes,
  Holdings,
  Kept,
  KindFacts,
  Mend,
  NewContent,
  NewFileFacts,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from './port';
export { bytesBeyond, firstAfter, joinRanges, overlapsAny, totalOf } from './ranges';
export {
  abilitiesOf,
  driverOf,
  findKind,
  kindFacts,
  makeableKinds,
  mendsIn,
  namedFault,
  NO_ABILITIES,
  probeFileSystem,
  tracesIn,
} from './registry';
