/**
 * What Linux says of a block device, as it shows it below /sys (Documentation/ABI: sysfs-block). Sizes there count in
 * 512 bytes, whatever the device's sectors are.
 */
import { readFile, realpath } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';

/** A device of the machine. */
export interface DeviceFacts {
  /** Its name below /dev. */
  readonly name: string;
  /** Bytes. */
  readonly size: number;
  readonly sectorSize: number;
  /** Empty where it has none. */
  readonly model: string;
  readonly serial: string;
  /** The name of the whole disk where this is a part of one. */
  readonly partOf?: string;
  /** The file that a loop device shows as a disk. */
  readonly backing?: string;
}

const UNIT = 512;

/** Major and minor number of a device as the C library packs them into 64 bits. */
function numbersOf(device: number): string {
  const high = Math.floor(device / 2 ** 32);
  const low = device % 2 ** 32;
  const major = ((low >>> 8) & 0xfff) + Math.floor(high / 0x1000) * 0x1000;
  const minor = (low & 0xff) + (Math.floor(low / 2 ** 20) & 0xfff) * 2 ** 8;
  return `${major}:${minor}`;
}

async function textAt(...path: string[]): Promise<string> {
  const text = await readFile(join(...path), 'latin1').catch(() => '');
  return text
    .replace(/[^\x20-\x7e]/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
}

/** The facts of a device by its number; undefined where the system does not tell. */
export async function deviceFacts(device: number): Promise<DeviceFacts | undefined> {
  const own = await realpath(join('/sys/dev/block', numbersOf(device))).catch(() => undefined);
  if (own === undefined) return undefined;
  const part = (await textAt(own, 'partition')) !== '';
  const whole = part ? dirname(own) : own;
  const size = Number(await textAt(own, 'size')) * UNIT;
  const sectorSize = Number(await textAt(whole, 'queue/logical_block_size'));
  if (!Number.isSafeInteger(size) || !sectorSize) return undefined;
  const model = await textAt(whole, 'device/model');
  // SCSI Primary Commands, unit serial number page: four bytes before it.
  const page = (await readFile(join(whole, 'device/vpd_pg80'), 'latin1').catch(() => '')).slice(4);
  const serial = (await textAt(whole, 'device/serial')) || page.replace(/[^\x21-\x7e]/g, '');
  const backing = (await readFile(join(whole, 'loop/backing_file'), 'utf8').catch(() => '')).trimEnd();
  return {
    ...{ name: basename(own), size, sectorSize, model, serial },
    ...(part ? { partOf: basename(whole) } : {}),
    ...(backing ? { backing } : {}),
  };
}
