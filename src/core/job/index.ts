export { checkDocument, inspectDocument, planDocument } from './documents';
export { parseTarget, resolveTarget, sameLayout, targetSchema } from './target';
export type { ResolvedTarget, Target, TargetInput } from './target';
export { compareTables, copyFault, parseTableCopy, tableCopy, tableCopySchema } from './table-copy';
export type { TableCopy, TableDifference } from './table-copy';
