/** A copy of a disk's table in a file, compared with the table there is before it is put back. */
import { CoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import { diskMark, gptRoom, writtenTableSchema, type DiskTable, type MbrDisk } from '@/core/table';
import { formatSize } from '@/core/size';
import * as z from 'zod';

const tableCopySchema = z.strictObject({
  version: z.literal(1),
  document: z.literal('partition table'),
  disk: z.strictObject({ size: z.int().min(1), sectorSize: z.union([z.literal(512), z.literal(4096)]) }),
  table: writtenTableSchema,
});

export type TableCopy = z.output<typeof tableCopySchema>;

/** The table of a disk as a document. @throws CoreError `table.none` when the disk has none */
export function tableCopy(survey: Survey): TableCopy {
  const { partitions, size, sectorSize } = survey;
  if (partitions.kind === 'none') throw new CoreError('table.none', {});
  return tableCopySchema.parse({
    version: 1,
    document: 'partition table',
    disk: { size, sectorSize },
    table: partitions,
  });
}

/** @throws CoreError `document.invalid` */
export function parseTableCopy(input: unknown): TableCopy {
  const result = tableCopySchema.safeParse(input);
  if (result.success) return result.data;
  const issue = result.error.issues[0]!;
  throw new CoreError('document.invalid', {
    what: 'The copy of the table',
    reason: `${issue.path.join('.') || 'the whole'}: ${issue.message}`,
  });
}

/** A stretch that one of two tables has and the other does not, or has otherwise. */
export interface TableDifference {
  readonly what: 'gone' | 'added' | 'changed';
  readonly message: string;
}

interface Place {
  readonly start: number;
  readonly length: number;
  readonly rest: string;
}

/** What putting the copy back would change, in disk order; empty when the tables say the same. */
export function compareTables(now: Survey, copy: TableCopy): TableDifference[] {
  const { sectorSize } = now;
  const [is, was] = [placesIn(now.partitions), placesIn(copy.table)];
  const words = ({ start, length }: Place): string =>
    `the volume at ${formatSize(start * sectorSize)}, ${formatSize(length * sectorSize)}`;
  const out: (TableDifference & { start: number })[] = [];
  const change = (message: string): void => void out.push({ what: 'changed', start: -1, message });
  if (now.partitions.kind !== copy.table.kind)
    change(`The table becomes ${KIND_WORDS[copy.table.kind]}; now it is ${KIND_WORDS[now.partitions.kind]}.`);
  else if (diskMark(now.partitions) !== diskMark(copy.table))
    change(`The disk’s own number becomes ${diskMark(copy.table)}; now it is ${diskMark(now.partitions)}.`);
  for (const place of was) {
    const same = is.find((p) => p.start === place.start);
    if (!same) out.push({ what: 'added', start: place.start, message: `Comes back: ${words(place)}.` });
    else if (same.length !== place.length)
      out.push({ what: 'changed', start: place.start, message: `Becomes ${words(place)}; now it is ${words(same)}.` });
    else if (same.rest !== place.rest)
      out.push({ what: 'changed', start: place.start, message: `Has other marks or another type: ${words(place)}.` });
  }
  for (const place of is) {
    if (!was.some((p) => p.start === place.start))
      out.push({ what: 'gone', start: place.start, message: `Is not in the copy: ${words(place)}.` });
  }
  return out.sort((a, b) => a.start - b.start).map(({ what, message }) => ({ what, message }));
}

const KIND_WORDS = { none: 'none', mbr: 'a master boot record', gpt: 'a GUID table' } as const;

/** Why a copy can't be put back on this disk, or undefined when it can. A file may have been written by anybody. */
export function copyFault(now: Survey, copy: TableCopy): string | undefined {
  const { sectorSize, size } = now;
  if (copy.disk.sectorSize !== sectorSize)
    return `The copy is of a disk with sectors of ${copy.disk.sectorSize} bytes, this one has ${sectorSize}.`;
  const room = copy.table.kind === 'gpt' ? gptRoom(copy.table, size, sectorSize) : { first: sectorSize, last: size };
  const places = placesIn(copy.table).sort((a, b) => a.start - b.start);
  let end = room.first / sectorSize;
  for (const place of places) {
    if (place.length <= 0) return 'The copy describes a volume that ends before it begins.';
    if (place.start < end) return 'The copy describes volumes that overlap each other or the table.';
    end = place.start + place.length;
  }
  if (end * sectorSize > room.last) return 'The copy describes volumes behind the end of this disk.';
  return copy.table.kind === 'mbr' ? chainFault(copy.table, places) : undefined;
}

/** Boot records stand in the container, before their volumes, and in nobody's volume; no slot is used twice. */
function chainFault({ primaries, container, logicals }: MbrDisk, places: readonly Place[]): string | undefined {
  const slots = [...primaries.map((p) => p.slot), ...(container ? [container.slot] : [])];
  if (new Set(slots).size !== slots.length) return 'The copy gives one entry of the table to two volumes.';
  if (logicals.length === 0) return undefined;
  const fault = 'The copy describes a chain of logical volumes that can’t be.';
  if (!container || container.startLba !== logicals[0]!.ebrLba) return fault;
  let before = -1;
  for (const { ebrLba, startLba, lengthSectors } of logicals) {
    const inOrder = ebrLba > before && ebrLba < startLba;
    const inside = startLba + lengthSectors <= container.startLba + container.lengthSectors;
    const onVolume = places.some((p) => ebrLba >= p.start && ebrLba < p.start + p.length);
    if (!inOrder || !inside || onVolume) return fault;
    before = startLba;
  }
  return undefined;
}

function placesIn(table: DiskTable): Place[] {
  if (table.kind === 'none') return [];
  if (table.kind === 'gpt')
    return table.entries.map(({ firstLba, lastLba, slot: _slot, ...rest }) => ({
      start: firstLba,
      length: lastLba + 1 - firstLba,
      rest: JSON.stringify(rest),
    }));
  const place = ({
    startLba,
    lengthSectors,
    active,
    type,
  }: {
    startLba: number;
    lengthSectors: number;
    active: boolean;
    type: number;
  }): Place => ({
    start: startLba,
    length: lengthSectors,
    rest: JSON.stringify([active, type]),
  });
  return [...table.primaries.map(place), ...table.logicals.map(place)];
}
