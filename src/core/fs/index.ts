export type {
  Abilities,
  Beyond,
  ByteRange,
  ContentRun,
  FileEntry,
  NewFileFacts,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from './port';
export { bytesBeyond, firstAfter, joinRanges, overlapsAny, totalOf } from './ranges';
export { abilitiesOf, driverOf, findKind, kindFacts, makeableKinds, NO_ABILITIES, probeFileSystem } from './registry';
