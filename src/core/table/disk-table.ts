/** A disk's table of whatever kind, as plain data: read from a disk, and as the writes that make it so. */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import { readChain, serialiseRecord, type Container, type LogicalEntry } from './extended';
import { isGptHeader, readGpt } from './gpt';
import type { GptDisk } from './gpt-format';
import { gptWrites, type TableWrite } from './gpt-write';
import {
  EXTENDED_TYPES,
  GPT_PROTECTIVE,
  hasBootSignature,
  looksLikeTable,
  parseMbr,
  serialiseMbr,
  type MbrEntry,
} from './mbr';

/** A master boot record with its logical volumes. */
export interface MbrDisk {
  readonly kind: 'mbr';
  readonly diskSignature: number;
  /** Entries that are volumes themselves. */
  readonly primaries: readonly MbrEntry[];
  readonly container?: Container;
  readonly logicals: readonly LogicalEntry[];
}

interface NoTable {
  readonly kind: 'none';
}

export type DiskTable = NoTable | MbrDisk | GptDisk;

/** The disk’s own number as a table tells it: a GUID, or a signature of eight digits; empty without a table. */
export function diskMark(table: DiskTable): string {
  if (table.kind === 'none') return '';
  return table.kind === 'gpt' ? table.diskGuid : table.diskSignature.toString(16).toUpperCase().padStart(8, '0');
}

export interface ReadTable {
  readonly table: DiskTable;
  readonly findings: readonly Finding[];
}

/**
 * Reads the table of a disk.
 * @returns `none` when there is no table; whether there is anything else is not looked at
 * @throws CoreError `table.damaged` when there is a GUID table and neither copy is whole
 */
export async function readTable(device: BlockDevice): Promise<ReadTable> {
  const sector = await device.bytes(0, device.sectorSize);
  const signed = hasBootSignature(sector);
  const entries = signed ? parseMbr(sector, Math.floor(device.size / device.sectorSize)).entries : [];
  const protective = entries.some((e) => e.type === GPT_PROTECTIVE);
  // A boot record with volumes of its own counts before a header left over from another table.
  if (protective || !looksLikeTable(sector)) {
    const gpt = await readGpt(device);
    if (gpt) return { table: gpt.table, findings: [...gpt.findings, ...protectionFindings(entries)] };
  }
  return signed ? readMbr(device, sector) : { table: { kind: 'none' }, findings: [] };
}

function protectionFindings(entries: readonly MbrEntry[]): Finding[] {
  const protective = entries.find((e) => e.type === GPT_PROTECTIVE);
  if (!protective)
    return [
      {
        severity: 'warning',
        code: 'gpt.protective',
        message: 'The boot record that keeps old systems off this disk is missing.',
      },
    ];
  if (entries.length > 1)
    return [
      {
        severity: 'error',
        code: 'gpt.hybrid',
        message: 'The boot record lists volumes beside the GUID table. Which of the two counts is not certain.',
      },
    ];
  return [];
}

async function readMbr(device: BlockDevice, sector: Uint8Array): Promise<ReadTable> {
  const { diskSignature, entries, findings } = parseMbr(sector, Math.floor(device.size / device.sectorSize));
  const containers = entries.filter((e) => EXTENDED_TYPES.has(e.type));
  const primaries = entries.filter((e) => !EXTENDED_TYPES.has(e.type));
  const [container] = containers;
  const chain = container ? await readChain(device, container) : { logicals: [], findings: [] };
  const all = [...findings, ...chain.findings, ...chainOverlaps(chain.logicals)];
  if (containers.length > 1)
    all.push({ severity: 'error', code: 'table.chain', message: 'The table has more than one extended partition.' });
  const table: MbrDisk = {
    kind: 'mbr',
    diskSignature,
    primaries,
    logicals: chain.logicals,
    ...(container ? { container: containerOf(container) } : {}),
  };
  return { table, findings: all };
}

const containerOf = ({ slot, type, startLba, lengthSectors }: MbrEntry): Container => ({
  slot,
  type,
  startLba,
  lengthSectors,
});

function chainOverlaps(logicals: readonly LogicalEntry[]): Finding[] {
  const sorted = [...logicals].sort((a, b) => a.startLba - b.startLba);
  return sorted.slice(1).flatMap((entry, i): Finding[] => {
    const before = sorted[i]!;
    const end = before.startLba + before.lengthSectors;
    const apart = end <= entry.startLba && (entry.ebrLba < before.startLba || entry.ebrLba >= end);
    if (apart) return [];
    const message = `Logical volumes overlap at sector ${entry.startLba}.`;
    return [{ severity: 'error', code: 'table.overlap', message }];
  });
}

/** Everything to be written so that the disk has this table, whatever it has now. */
export async function tableWrites(device: BlockDevice, table: DiskTable): Promise<TableWrite[]> {
  if (table.kind === 'gpt') return gptWrites(device, table);
  if (table.kind === 'none') return [];
  const { sectorSize } = device;
  const { primaries, container, logicals } = table;
  const previous = await device.bytes(0, sectorSize);
  const entries = container ? [...primaries, { ...container, active: false }] : primaries;
  const out: TableWrite[] = [{ offset: 0, bytes: serialiseMbr(previous, entries, table.diskSignature) }];
  for (const [i, logical] of logicals.entries()) {
    const offset = logical.ebrLba * sectorSize;
    const bytes = serialiseRecord(
      await device.bytes(offset, sectorSize),
      logical,
      logicals[i + 1],
      container ?? { startLba: logical.ebrLba },
    );
    out.push({ offset, bytes });
  }
  return [...out, ...(await forgottenGpt(device))];
}

/** A header of a GUID table that no longer counts is taken away, so that nobody takes it for the table. */
async function forgottenGpt(device: BlockDevice): Promise<TableWrite[]> {
  const { sectorSize, size } = device;
  const lastLba = Math.floor(size / sectorSize) - 1;
  const out: TableWrite[] = [];
  for (const lba of [1, lastLba]) {
    const offset = lba * sectorSize;
    if (isGptHeader(await device.bytes(offset, sectorSize))) out.push({ offset, bytes: new Uint8Array(sectorSize) });
  }
  return out;
}
