/**
 * The list of a file's attributes and of the records they are in.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “$ATTRIBUTE_LIST”: entries by type, name and lowest VCN, each a multiple of
 * 8 bytes long.
 */
import { struct, u16, u32, u64, u8, utf16 } from '@/core/bytes';
import { toUtf16 } from './build-record';

const ENTRY = struct('attribute list entry', 26, {
  type: u32(0),
  length: u16(4),
  nameLength: u8(6),
  nameOffset: u8(7),
  lowestVcn: u64(8),
  reference: u64(16),
  id: u16(24),
});

/** One attribute, or one piece of a runlist, and where it is. */
export interface ListedAttribute {
  readonly type: number;
  readonly name: string;
  readonly lowestVcn: number;
  readonly reference: bigint;
  readonly id: number;
}

/** The list for the disk. Entries are in their order already. */
export function serialiseAttributeList(entries: readonly ListedAttribute[]): Uint8Array {
  const parts = entries.map(({ type, name, lowestVcn, reference, id }) => {
    const chars = toUtf16(name);
    const length = Math.ceil((ENTRY.size + chars.length) / 8) * 8;
    const out = new Uint8Array(length);
    const nameOffset = ENTRY.size;
    ENTRY.encode(
      { type, length, nameLength: name.length, nameOffset, lowestVcn: BigInt(lowestVcn), reference, id },
      out,
    );
    out.set(chars, nameOffset);
    return out;
  });
  const out = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
  parts.reduce((at, part) => (out.set(part, at), at + part.length), 0);
  return out;
}

/** The entries of a list, up to the first that makes no sense. */
export function parseAttributeList(bytes: Uint8Array): ListedAttribute[] {
  const out: ListedAttribute[] = [];
  for (let at = 0; at + ENTRY.size <= bytes.length;) {
    const { type, length, nameLength, nameOffset, lowestVcn, reference, id } = ENTRY.decode(bytes, at);
    if (length < ENTRY.size || at + length > bytes.length) break;
    const name = utf16(bytes.subarray(at + nameOffset, Math.min(at + nameOffset + nameLength * 2, at + length)));
    out.push({ type, name, lowestVcn: Number(lowestVcn), reference, id });
    at += length;
  }
  return out;
}
