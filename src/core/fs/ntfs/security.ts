/**
 * Security of a new volume: two descriptors in the stream of $Secure, and the two indexes over them.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “$Secure”: every descriptor stands twice, 256 KiB apart; one index is by
 * hash and id, the other by id. Descriptors are self-relative as in MS-DTYP 2.4.6.
 */
import { viewEntry, type NewIndexEntry } from './build-record';

/** Ids of the descriptors: the system's own files may be read by administrators, the root and what is made in it is everyone's. */
export const SECURITY_ID = { system: 0x100, open: 0x101 } as const;

const MIRROR_AT = 0x40000;
/** Security identifiers, as in MS-DTYP 2.4.2. */
export const SID = {
  administrators: Uint8Array.of(1, 2, 0, 0, 0, 0, 0, 5, 32, 0, 0, 0, 0x20, 2, 0, 0),
  localSystem: Uint8Array.of(1, 1, 0, 0, 0, 0, 0, 5, 18, 0, 0, 0),
  everyone: Uint8Array.of(1, 1, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0),
};
const READ = 0x00120089;
const FULL = 0x001f01ff;
/** Objects and containers inherit. */
const INHERIT = 3;

interface Grant {
  readonly sid: Uint8Array;
  readonly mask: number;
  readonly flags: number;
}

function descriptor(grants: readonly Grant[]): Uint8Array {
  const entries = grants.map(({ sid, mask, flags }) => {
    const out = new Uint8Array(8 + sid.length);
    const view = new DataView(out.buffer);
    view.setUint8(1, flags);
    view.setUint16(2, out.length, true);
    view.setUint32(4, mask, true);
    out.set(sid, 8);
    return out;
  });
  const aclSize = 8 + entries.reduce((sum, e) => sum + e.length, 0);
  const owner = SID.administrators;
  const out = new Uint8Array(20 + aclSize + 2 * owner.length);
  const view = new DataView(out.buffer);
  view.setUint8(0, 1);
  view.setUint16(2, 0x8004, true);
  view.setUint32(4, 20 + aclSize, true);
  view.setUint32(8, 20 + aclSize + owner.length, true);
  view.setUint32(16, 20, true);
  view.setUint8(20, 2);
  view.setUint16(22, aclSize, true);
  view.setUint16(24, entries.length, true);
  let at = 28;
  for (const entry of entries) {
    out.set(entry, at);
    at += entry.length;
  }
  out.set(owner, at);
  out.set(owner, at + owner.length);
  return out;
}

/** The published hash: rotate left by three, add the next word. */
function hashOf(bytes: Uint8Array): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  let hash = 0;
  for (let at = 0; at + 4 <= bytes.length; at += 4)
    hash = (((hash << 3) | (hash >>> 29)) + view.getUint32(at, true)) >>> 0;
  return hash;
}

/** The stream, and the entries of both indexes in their order. */
export interface SecurityStream {
  readonly bytes: Uint8Array;
  readonly byHash: readonly NewIndexEntry[];
  readonly byId: readonly NewIndexEntry[];
}

/** Security as a new volume has it. */
export function buildSecurity(): SecurityStream {
  const list = [
    {
      id: SECURITY_ID.system,
      bytes: descriptor([
        { sid: SID.localSystem, mask: READ, flags: 0 },
        { sid: SID.administrators, mask: READ, flags: 0 },
      ]),
    },
    { id: SECURITY_ID.open, bytes: descriptor([{ sid: SID.everyone, mask: FULL, flags: INHERIT }]) },
  ];
  const heads: { id: number; hash: number; head: Uint8Array }[] = [];
  const area = new Uint8Array(1024);
  let at = 0;
  for (const { id, bytes } of list) {
    const hash = hashOf(bytes);
    const head = new Uint8Array(20);
    const view = new DataView(head.buffer);
    view.setUint32(0, hash, true);
    view.setUint32(4, id, true);
    view.setBigUint64(8, BigInt(at), true);
    view.setUint32(16, 20 + bytes.length, true);
    area.set(head, at);
    area.set(bytes, at + 20);
    heads.push({ id, hash, head });
    at = Math.ceil((at + 20 + bytes.length) / 16) * 16;
  }
  const used = area.subarray(0, at);
  const stream = new Uint8Array(MIRROR_AT + at);
  stream.set(used, 0);
  stream.set(used, MIRROR_AT);
  const byHash = [...heads].sort((a, b) => a.hash - b.hash || a.id - b.id);
  return { bytes: stream, byHash: byHash.map(hashEntry), byId: heads.map(idEntry) };
}

function hashEntry({ head }: { head: Uint8Array }): NewIndexEntry {
  // The four bytes behind the data are always “II” in UTF-16.
  return viewEntry(head.slice(0, 8), Uint8Array.of(...head, 0x49, 0, 0x49, 0), head.length);
}

function idEntry({ head }: { head: Uint8Array }): NewIndexEntry {
  return viewEntry(head.slice(4, 8), head.slice());
}
