/** The superblock's copy of where the journal is. */
import { INODE, viewOf } from './inode';

/** What the superblock keeps of the journal: where its blocks are, and its size. */
export function journalBackup(inode: Uint8Array): Uint8Array {
  const out = new Uint8Array(68);
  const { map, sizeLow, sizeHigh } = INODE.decode(inode);
  out.set(map);
  viewOf(out).setUint32(60, sizeHigh, true);
  viewOf(out).setUint32(64, sizeLow, true);
  return out;
}
