/**
 * Logical volumes: the chain of boot records in an extended partition.
 *
 * The layout in general use: every record of the chain is a boot record whose first entry is a volume, counted from
 * that record, and whose second leads to the next record, counted from the start of the container. UEFI 2.10 §5.2
 * leaves the container's content to the system, so both are read with care: no record is visited twice, and none
 * outside the container.
 */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import { EXTENDED_TYPES, hasBootSignature, parseMbr, serialiseMbr, type MbrEntry } from './mbr';

/** A logical volume. LBAs count from the start of the disk. */
export interface LogicalEntry {
  /** Where its boot record is. */
  readonly ebrLba: number;
  readonly active: boolean;
  readonly type: number;
  readonly startLba: number;
  readonly lengthSectors: number;
}

/** The entry of the table that holds the chain. */
export interface Container {
  readonly slot: number;
  readonly type: number;
  readonly startLba: number;
  readonly lengthSectors: number;
}

export interface Chain {
  readonly logicals: readonly LogicalEntry[];
  readonly findings: readonly Finding[];
}

/** More than any system gives letters to; a chain that is longer is no chain. */
const MAX_LOGICALS = 256;
const LINK_TYPE = 0x05;

/** Reads the chain of a container. What makes no sense ends it and is told. */
export async function readChain(device: BlockDevice, container: Container): Promise<Chain> {
  const logicals: LogicalEntry[] = [];
  const findings: Finding[] = [];
  const end = container.startLba + container.lengthSectors;
  const seen = new Set<number>();
  const stop = (message: string, lba: number): Chain => {
    findings.push({ severity: 'error', code: 'table.chain', message, offset: lba * device.sectorSize });
    return { logicals, findings };
  };
  for (let ebrLba = container.startLba; ;) {
    if (seen.has(ebrLba)) return stop(`The chain of logical volumes comes back to sector ${ebrLba}.`, ebrLba);
    if (seen.size >= MAX_LOGICALS) return stop('The chain of logical volumes does not end.', ebrLba);
    seen.add(ebrLba);
    if ((ebrLba + 1) * device.sectorSize > device.size)
      return stop(`The chain of logical volumes leaves the disk at sector ${ebrLba}.`, ebrLba);
    const sector = await device.bytes(ebrLba * device.sectorSize, device.sectorSize);
    if (!hasBootSignature(sector)) return stop(`The boot record of a logical volume is missing.`, ebrLba);
    const { entries } = parseMbr(sector, Number.MAX_SAFE_INTEGER);
    const volume = entries.find((e) => !EXTENDED_TYPES.has(e.type));
    const link = entries.find((e) => EXTENDED_TYPES.has(e.type));
    if (volume) {
      const startLba = ebrLba + volume.startLba;
      if (volume.startLba === 0 || startLba + volume.lengthSectors > end)
        return stop(`A logical volume at sector ${startLba} leaves its container.`, ebrLba);
      const { active, type, lengthSectors } = volume;
      logicals.push({ ebrLba, active, type, startLba, lengthSectors });
    }
    if (!link) return { logicals, findings };
    ebrLba = container.startLba + link.startLba;
    if (ebrLba <= container.startLba || ebrLba >= end)
      return stop(`The chain of logical volumes leads out of its container.`, ebrLba);
  }
}

/** A boot record of the chain. @param previous what stands there now, whose code is kept, or zeros */
export function serialiseRecord(
  previous: Uint8Array,
  own: LogicalEntry,
  next: LogicalEntry | undefined,
  container: Pick<Container, 'startLba'>,
): Uint8Array {
  const base = hasBootSignature(previous) ? previous : new Uint8Array(previous.length);
  const entries: MbrEntry[] = [
    {
      slot: 0,
      active: own.active,
      type: own.type,
      startLba: own.startLba - own.ebrLba,
      lengthSectors: own.lengthSectors,
    },
  ];
  if (next)
    entries.push({
      slot: 1,
      active: false,
      type: LINK_TYPE,
      startLba: next.ebrLba - container.startLba,
      lengthSectors: next.startLba + next.lengthSectors - next.ebrLba,
    });
  return serialiseMbr(base, entries);
}
