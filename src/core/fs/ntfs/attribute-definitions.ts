/** The table of attribute types that every volume carries (Linux-NTFS “NTFS Documentation”, chapter “$AttrDef”). */
import { toUtf16 } from './build-record';

const ENTRY_BYTES = 160;
const NO_LIMIT = 0xffffffffffffffffn;
const BY_NAME = 1;

/** Name, type, collation, flags (indexable 2, resident 0x40, may be non-resident 0x80), least and most bytes. */
const DEFINITIONS: readonly (readonly [string, number, number, number, bigint, bigint])[] = [
  ['$STANDARD_INFORMATION', 0x10, 0, 0x40, 0x30n, 0x48n],
  ['$ATTRIBUTE_LIST', 0x20, 0, 0x80, 0n, NO_LIMIT],
  ['$FILE_NAME', 0x30, BY_NAME, 0x42, 0x44n, 0x242n],
  ['$OBJECT_ID', 0x40, 0, 0x40, 0n, 0x100n],
  ['$SECURITY_DESCRIPTOR', 0x50, 0, 0x80, 0n, NO_LIMIT],
  ['$VOLUME_NAME', 0x60, 0, 0x40, 2n, 0x100n],
  ['$VOLUME_INFORMATION', 0x70, 0, 0x40, 0xcn, 0xcn],
  ['$DATA', 0x80, 0, 0, 0n, NO_LIMIT],
  ['$INDEX_ROOT', 0x90, 0, 0x40, 0n, NO_LIMIT],
  ['$INDEX_ALLOCATION', 0xa0, 0, 0x80, 0n, NO_LIMIT],
  ['$BITMAP', 0xb0, 0, 0x80, 0n, NO_LIMIT],
  ['$REPARSE_POINT', 0xc0, 0, 0x80, 0n, 0x4000n],
  ['$EA_INFORMATION', 0xd0, 0, 0x40, 8n, 8n],
  ['$EA', 0xe0, 0, 0, 0n, 0x10000n],
  ['$LOGGED_UTILITY_STREAM', 0x100, 0, 0x80, 0n, 0x10000n],
];

/** The table with the empty entry that ends it. */
export function buildAttributeDefinitions(): Uint8Array {
  const out = new Uint8Array(ENTRY_BYTES * (DEFINITIONS.length + 1));
  const view = new DataView(out.buffer);
  DEFINITIONS.forEach(([name, type, collation, flags, least, most], i) => {
    const at = i * ENTRY_BYTES;
    out.set(toUtf16(name), at);
    view.setUint32(at + 128, type, true);
    view.setUint32(at + 136, collation, true);
    view.setUint32(at + 140, flags, true);
    view.setBigUint64(at + 144, least, true);
    view.setBigUint64(at + 152, most, true);
  });
  return out;
}
