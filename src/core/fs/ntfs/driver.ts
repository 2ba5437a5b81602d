/**
 * The NTFS driver: read, check, make, shrink, grow, label, write.
 *
 * Follows the layout as openly documented by the Linux-NTFS project. Refuses a volume that is dirty, hibernated or has
 * unfinished work in its journal.
 */
import { isSigned } from '../mending';
import type { FileSystemDriver } from '../port';
import { looksLikeNtfs } from './boot-sector';
import { NTFS } from './kinds';
import { makeNtfs } from './make';
import { claimedBy, ntfsMends, ntfsTraces } from './mend';
import { openNtfs } from './volume';

const PROBE_BYTES = 512;

export const ntfsDriver: FileSystemDriver = {
  name: 'NTFS',
  ...NTFS,
  async probe(device) {
    if (device.size < PROBE_BYTES) return undefined;
    return looksLikeNtfs(await device.bytes(0, PROBE_BYTES)) ? 'ntfs' : undefined;
  },
  open: openNtfs,
  async claims(device) {
    return device.size < PROBE_BYTES ? undefined : claimedBy(await device.bytes(0, PROBE_BYTES));
  },
  mends: ntfsMends,
  mayTrace: isSigned,
  traces: ntfsTraces,
  make: makeNtfs,
};
