export type {
  Abilities,
  Beyond,
  ByteRange,
  ChangeOptions,
  ContentRun,
  FileEntry,
  FileSystemDriver,
  FileTimes,
  FloorReason,
  KindFacts,
  MakeOptions,
  NewContent,
  NewFileFacts,
  Placement,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from './port';
export { bytesBeyond, firstAfter, joinRanges, overlapsAny, totalOf } from './ranges';
export { abilitiesOf, driverOf, findKind, kindFacts, makeableKinds, probeFileSystem } from './registry';
