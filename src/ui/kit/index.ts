export { download, downloadBytes, downloadText, savePicker } from './download';
export { Facts } from './Facts';
export { LetterChip } from './LetterChip';
export { MiniColumn } from './MiniColumn';
export { ROLE_WORDS, roleColours, ROLES } from './roles';
export { SizeInput } from './SizeInput';
export { antTheme } from './theme';
export { useDrawnTheme } from './useDrawnTheme';
export { useSizes } from './useUnits';
