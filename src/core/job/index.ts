export { checkDocument, inspectDocument, planDocument } from './documents';
export { parseTarget, resolveTarget } from './target';
export type { TargetInput } from './target';
export { compareTables, copyFault, parseTableCopy, tableCopy } from './table-copy';
export type { TableCopy, TableDifference } from './table-copy';
