export { changesBetween } from './changes';
export type { ChangedVolume } from './changes';
export { copyVolume, laidCopy, setIdentity } from './copy-edits';
export type { CopySource, CopyWish } from './copy-edits';
export { createVolume, resizeEnd, resizeStart, splitVolume } from './edits';
export { formatVolume, setActive, setChosen, setLabel, setLetter, setRole } from './field-edits';
export { settle } from './placement';
export {
  convertTable,
  giveRoom,
  mendAll,
  mendNothing,
  mendTable,
  newTable,
  setFlag,
  setPlacement,
} from './table-edits';
export type { Edited, NewVolume } from './edits';
export { beginHistory, record, redo, undo } from './history';
export type { History } from './history';
export {
  ALIGNMENT,
  asVolumeId,
  blankLayout,
  boundOf,
  endOf,
  firstUsable,
  gapsOf,
  isMade,
  lastUsable,
  nameOf,
  tableEnd,
  volumeOf,
} from './layout';
export type { Bounds, CopyOrigin, Gap, LaidVolume, Layout, Role, TableKind, VolumeBounds, VolumeId } from './layout';
export { letterFault, nextLetter } from './letters';
export { moveVolume, removeAll, reorderVolume } from './move-edits';
export { endRange, isResizable, roughEndRange, startRange } from './ranges';
export { addFolders, addTransfer, mergeVolume, removeTransfer, takeFolders, transferWords } from './transfer-edits';
export type { FolderWish, TransferWish } from './transfer-edits';
export { refuse } from './refusals';
export { canGive, makeRoom, sizeRange } from './room';
export type { RoomSource, RoomWish } from './room';
export { layoutSchema } from './schema';
export { equalShares, guardSeveral, removeSeveral, removeVolume, setGuard } from './several-edits';
export { putBack } from './put-back';
export { addWipe, removeWipe, wipeDisk, wipeTargetWords } from './wipe-edits';
export type { WipeTarget, WipeWish } from './wipe-edits';
