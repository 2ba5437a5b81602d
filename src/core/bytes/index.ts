export { isZeros, sameBytes, toHex } from './buffers';
export { crc16, crc32, crc32c } from './crc32';
export { narrow, raw, struct, text, u16, u32, u64, u8 } from './struct';
export { formatGuid, guidOf, isGuid, parseGuid, ZERO_GUID } from './guid';
export { u16At, u32At, u64At } from './numbers';
export { plain } from './plain';
export { firstAfter } from './ranges';
export { ascii, spell, unitList, utf16 } from './text';
