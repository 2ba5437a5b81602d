/**
 * The NTFS driver: volumes are recognised, browsed, checked and proven file by file, and new ones are made.
 *
 * Follows the layout as openly documented by the Linux-NTFS project. An existing volume is not written yet: the
 * driver's abilities say so, and plans that would need more are refused.
 */
import type { FileSystemDriver } from '../port';
import { looksLikeNtfs } from './boot-sector';
import { NTFS_KIND } from './kinds';
import { makeNtfs } from './make';
import { openNtfs } from './volume';

const PROBE_BYTES = 512;

export const ntfsDriver: FileSystemDriver = {
  name: 'NTFS',
  kinds: [NTFS_KIND],
  abilities: { check: true, shrink: false, grow: false, make: true, relabel: false, write: false },
  async probe(device) {
    if (device.size < PROBE_BYTES) return undefined;
    return looksLikeNtfs(await device.bytes(0, PROBE_BYTES)) ? 'ntfs' : undefined;
  },
  open: openNtfs,
  make: makeNtfs,
};
