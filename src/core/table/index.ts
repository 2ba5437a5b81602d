export {
  EXTENDED_TYPES,
  GPT_PROTECTIVE,
  hasBootSignature,
  isGptHeader,
  looksLikeTable,
  MBR_ENTRIES,
  parseMbr,
  serialiseMbr,
} from './mbr';
export type { MbrEntry, MbrTable } from './mbr';
