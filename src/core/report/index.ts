export { bandsBetween, bandsFrom, movingBands, movingIn } from './bands';
export type { Band, Moving, MovingBand } from './bands';
export {
  certificatePaper,
  methodWords,
  ranLayouts,
  usedIn,
  OUTCOME_DETAILS,
  OUTCOME_WORDS,
  wipeLines,
} from './certificate-paper';
export type { RanLayouts } from './certificate-paper';
export { changeWords, disksBeside, inUseThen, isMended } from './changes';
export { layoutColumn, snapStep, yInSection } from './geometry';
export type { Column, ColumnBox, Section } from './geometry';
export { htmlOf } from './html';
export type { Paper } from './paper';
export { pdfOf } from './pdf';
export type { PaperFonts } from './pdf';
export { pictureFile, pictureOf } from './picture';
export { jobSheet } from './sheet';
export { titleOf, usedBy } from './use';
export type { UsedOf } from './use';
export { volumeList } from './volume-list';
