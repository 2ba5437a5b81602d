/**
 * The FAT driver: FAT12, FAT16 and FAT32 behind the FileSystem port.
 *
 * Follows FATGEN 1.03 and ECMA-107. Refuses volumes whose geometry contradicts itself, and never resizes one whose
 * chains loop, cross or break.
 */
import { CoreError } from '@/core/errors';
import { isSigned } from '../mending';
import type { FileSystemDriver } from '../port';
import { looksLikeFat, parseGeometry } from './boot-sector';
import { FAT } from './kinds';
import { makeVolume } from './make';
import { claimedBy, fatMends, fatTraces, namedIn } from './mend';
import { openFat } from './volume';

const PROBE_BYTES = 512;

export const fatDriver: FileSystemDriver = {
  name: 'FAT',
  ...FAT,
  async probe(device) {
    if (device.size < PROBE_BYTES) return undefined;
    const sector = await device.bytes(0, PROBE_BYTES);
    return looksLikeFat(sector) ? parseGeometry(sector, undefined).kind : undefined;
  },
  async open(device) {
    if (device.size < PROBE_BYTES) throw new CoreError('fs.unknown', { offset: 0 });
    return openFat(device);
  },
  async named(device) {
    return device.size < PROBE_BYTES ? undefined : namedIn(await device.bytes(0, PROBE_BYTES));
  },
  async claims(device) {
    return device.size < PROBE_BYTES ? undefined : claimedBy(await device.bytes(0, PROBE_BYTES));
  },
  mends: fatMends,
  mayTrace: isSigned,
  traces: fatTraces,
  make: makeVolume,
};
