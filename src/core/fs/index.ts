export { recogniseForeign, type Recognised } from './foreign';
export type {
  Abilities,
  Adoption,
  Beyond,
  ByteRange,
  ContentRun,
  EntryKind,
  FileEntry,
  FileTimes,
  Holdings,
  Kept,
  KindFacts,
  NewContent,
  NewFileFacts,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from './port';
export { bytesBeyond, firstAfter, joinRanges, overlapsAny, totalOf } from './ranges';
export { abilitiesOf, driverOf, findKind, kindFacts, makeableKinds, NO_ABILITIES, probeFileSystem } from './registry';
