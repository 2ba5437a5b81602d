export { download, downloadText, savePicker } from './download';
export { Facts } from './Facts';
export { LetterChip } from './LetterChip';
export { MiniColumn } from './MiniColumn';
export { ROLE_WORDS, roleColours, ROLES } from './roles';
export { antTheme } from './theme';
export { useSizes } from './useUnits';
