/**
 * What a plan relies on, as far as it can be told from a survey: the table, and place, identity and use of every volume.
 * Plans carry it, and a run compares it with the disk in hand before its first write.
 */
import { crc32 } from '@/core/bytes';
import { formatSize } from '@/core/size';
import { diskTableSchema, type DiskTable } from '@/core/table';
import * as z from 'zod';
import type { Survey } from './survey';
import type { SurveyedVolume } from './survey-volume';

const count = z.int().min(0);

const volumeFactsSchema = z
  .strictObject({
    number: z.int().min(1),
    start: count,
    length: count,
    fileSystem: z.string(),
    serial: z.string(),
    label: z.string(),
    files: count,
    /** CRC-32 of the list of ranges in use. */
    allocation: count,
    /** Errors its check found. */
    errors: count,
  })
  .readonly();

/** What a plan relies on. Plain data. */
export const diskFactsSchema = z
  .strictObject({
    size: z.int().min(1),
    sectorSize: z.union([z.literal(512), z.literal(4096)]),
    table: diskTableSchema as z.ZodType<DiskTable>,
    volumes: z.array(volumeFactsSchema).max(40_000).readonly(),
  })
  .readonly();

export type DiskFacts = z.output<typeof diskFactsSchema>;
type VolumeFacts = z.output<typeof volumeFactsSchema>;

/** The facts of a disk as it was surveyed. */
export function factsOf(survey: Survey): DiskFacts {
  const { size, sectorSize, partitions, volumes } = survey;
  return {
    size,
    sectorSize: sectorSize as 512 | 4096,
    table: partitions,
    volumes: volumes.map(volumeFacts),
  };
}

/** What a volume is known by, without what it holds. */
export const identityOf = ({ number, start, length, info, files }: SurveyedVolume) => ({
  number,
  start,
  length,
  fileSystem: info?.kind ?? 'unknown',
  serial: info?.serial ?? '',
  label: info?.label ?? '',
  files,
});

const volumeFacts = (volume: SurveyedVolume): VolumeFacts => ({
  ...identityOf(volume),
  allocation: checksumOf(volume.allocation),
  errors: volume.findings.filter((f) => f.severity === 'error').length,
});

/** Over the ranges as pairs of 64-bit numbers, so that a long list makes no long text. */
function checksumOf(ranges: SurveyedVolume['allocation']): number {
  const pairs = new Float64Array(ranges.length * 2);
  for (const [i, { start, end }] of ranges.entries()) {
    pairs[2 * i] = start;
    pairs[2 * i + 1] = end;
  }
  return crc32(new Uint8Array(pairs.buffer));
}

/** The first thing in which two disks differ, in words that follow “it”, or undefined when they are the same. */
export function differenceOf(was: DiskFacts, is: DiskFacts): string | undefined {
  if (was.size !== is.size) return `it has ${is.size} bytes instead of ${was.size}`;
  if (was.sectorSize !== is.sectorSize) return `its sectors have ${is.sectorSize} bytes instead of ${was.sectorSize}`;
  if (JSON.stringify(was.table) !== JSON.stringify(is.table) && was.volumes.length === is.volumes.length) {
    const moved = was.volumes.find((v, i) => v.start !== is.volumes[i]!.start || v.length !== is.volumes[i]!.length);
    return moved ? `volume ${moved.number} lies elsewhere` : 'its partition table says something else';
  }
  if (was.volumes.length !== is.volumes.length)
    return `it has ${is.volumes.length} volume${is.volumes.length === 1 ? '' : 's'} instead of ${was.volumes.length}`;
  for (const [i, volume] of was.volumes.entries()) {
    const difference = volumeDifference(volume, is.volumes[i]!);
    if (difference) return difference;
  }
  return undefined;
}

function volumeDifference(was: VolumeFacts, is: VolumeFacts): string | undefined {
  const name = `volume ${was.number}`;
  if (was.start !== is.start) return `${name} begins at ${formatSize(is.start)} instead of ${formatSize(was.start)}`;
  if (was.length !== is.length) return `${name} is ${formatSize(is.length)} long instead of ${formatSize(was.length)}`;
  if (was.fileSystem !== is.fileSystem || was.serial !== is.serial) return `${name} is another volume`;
  if (was.label !== is.label) return `${name} has another label`;
  if (was.files !== is.files || was.allocation !== is.allocation) return `the content of ${name} has changed`;
  return was.errors === is.errors ? undefined : `the check of ${name} finds something else`;
}
