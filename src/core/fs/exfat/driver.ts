/**
 * The exFAT driver: read, check, make, shrink, grow, label, write.
 *
 * Follows the “exFAT file system specification”. Refuses geometry that contradicts itself, and never resizes a volume
 * with damaged entry sets, crossing chains or two allocation tables.
 */
import { CoreError } from '@/core/errors';
import { isSigned } from '../mending';
import type { FileSystemDriver } from '../port';
import { looksLikeExfat } from './boot-region';
import { EXFAT } from './kinds';
import { makeExfat } from './make';
import { claimedBy, exfatMends, exfatTraces } from './mend';
import { openExfat } from './volume';

const PROBE_BYTES = 512;

export const exfatDriver: FileSystemDriver = {
  name: 'exFAT',
  ...EXFAT,
  async probe(device) {
    if (device.size < PROBE_BYTES) return undefined;
    return looksLikeExfat(await device.bytes(0, PROBE_BYTES)) ? 'exfat' : undefined;
  },
  async open(device) {
    if (device.size < PROBE_BYTES) throw new CoreError('fs.unknown', { offset: 0 });
    return openExfat(device);
  },
  async claims(device) {
    return device.size < PROBE_BYTES ? undefined : claimedBy(await device.bytes(0, PROBE_BYTES));
  },
  mends: exfatMends,
  mayTrace: isSigned,
  traces: exfatTraces,
  make: makeExfat,
};
