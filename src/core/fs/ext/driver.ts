/**
 * The driver of ext2, ext3 and ext4.
 *
 * Follows “ext4 Data Structures and Algorithms” of the kernel's documentation. A volume with features that are not known
 * here is not opened; one that was not shut down is seen as its journal would make it.
 */
import { CoreError } from '@/core/errors';
import type { FileSystemDriver } from '../port';
import { EXT } from './kinds';
import { makeExt } from './make';
import { claimedBy, extMends, extTraces } from './mend';
import { has, hasMagic, INCOMPAT, kindOf, looksLikeExt, SUPER, SUPER_AT, SUPER_BYTES } from './superblock';
import { openExt } from './volume';

export const extDriver: FileSystemDriver = {
  name: 'ext',
  ...EXT,
  async probe(device) {
    if (device.size < SUPER_AT + SUPER_BYTES) return undefined;
    const bytes = await device.bytes(SUPER_AT, SUPER_BYTES);
    if (!looksLikeExt(bytes)) return undefined;
    const s = SUPER.decode(bytes);
    return has(s.incompat, INCOMPAT.journalDevice) ? undefined : kindOf(s);
  },
  async open(device) {
    if (device.size < SUPER_AT + SUPER_BYTES) throw new CoreError('fs.unknown', { offset: 0 });
    return openExt(device);
  },
  async claims(device) {
    return device.size < SUPER_AT + SUPER_BYTES ? undefined : claimedBy(await device.bytes(SUPER_AT, SUPER_BYTES));
  },
  mends: extMends,
  mayTrace: hasMagic,
  traces: extTraces,
  make: makeExt,
};
