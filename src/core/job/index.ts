export { checkDocument, findDocument, hitWords, inspectDocument, planDocument, scanDocument } from './documents';
export { resolveTarget } from './resolve-target';
export type { NamedSources } from './resolve-target';
export { clusterSizeOf, lookAtTransfers, transferWishes } from './resolve-transfers';
export type { OpenVolumeOf } from './resolve-transfers';
export { parseTarget } from './target';
export type { Target, TargetInput } from './target';
export { compareTables, copyFault, parseTableCopy, tableCopy } from './table-copy';
export type { TableCopy, TableDifference } from './table-copy';
