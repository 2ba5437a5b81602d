export { diskMark, readTable, tableWrites } from './disk-table';
export type { DiskTable, MbrDisk } from './disk-table';
export type { Container, LogicalEntry } from './extended';
export { flagsIn, gptRoom, isGptHeader, NO_ATTRIBUTES, USUAL_ENTRIES, USUAL_ENTRY_SIZE, withFlags } from './gpt';
export type { GptDisk, GptEntry, VolumeFlag } from './gpt';
export { hasBootSignature, looksLikeTable, MBR_ENTRIES, parseMbr } from './mbr';
export type { MbrEntry } from './mbr';
export { diskTableSchema, writtenTableSchema } from './schema';
export { flagsFor, hiddenCode, isHiddenCode, roleOfType, TYPE_CODE, typeCodeFor, typeGuidFor } from './types';
