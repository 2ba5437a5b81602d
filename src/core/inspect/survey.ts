/** What was found on a disk, and the layout that it has. */
import type { Finding } from '@/core/errors';
import type { ByteRange, VolumeInfo } from '@/core/fs';
import { asVolumeId, type Layout, type LaidVolume, type TableKind } from '@/core/layout';
import type { DiskTable } from '@/core/table';
import type { SurveyedVolume } from './survey-volume';

/** A disk as it is now. Plain data. */
export interface Survey {
  readonly size: number;
  readonly sectorSize: number;
  readonly table: TableKind;
  readonly diskSignature: number;
  /** The table as it is. */
  readonly partitions: DiskTable;
  readonly findings: readonly Finding[];
  readonly volumes: readonly SurveyedVolume[];
  readonly unallocated: readonly ByteRange[];
  /** Volumes that no entry names, where they were looked for; their numbers come behind those of all others. */
  readonly lost?: readonly SurveyedVolume[];
}

/** What a volume is, whether it is open, damaged, or only recognised; `unknown` where nobody knows. */
export const fileSystemOf = ({ info, recognised }: Pick<SurveyedVolume, 'info' | 'recognised'>): string =>
  info?.kind ?? recognised?.kind ?? 'unknown';

/** The volume of a number: one that the table names, or one that was found without. */
export const volumeNumbered = ({ volumes, lost = [] }: Survey, number: number): SurveyedVolume | undefined =>
  volumes.find((v) => v.number === number) ?? lost.find((v) => v.number === number);

/** The highest number that a volume has; what a plan numbers beside comes behind it. */
export const highestNumber = ({ volumes, lost = [] }: Survey): number =>
  [...volumes, ...lost].reduce((most, v) => Math.max(most, v.number), 0);

/** What is known of a volume, be it damaged. */
export const knownInfo = ({ info, seen }: Pick<SurveyedVolume, 'info' | 'seen'>): VolumeInfo | undefined =>
  info ?? seen?.volume.info;

/** A volume as a layout has it. */
export function laidFrom(v: SurveyedVolume): LaidVolume {
  return {
    id: asVolumeId(`kept-${v.number}`),
    origin: { kind: 'kept', number: v.number },
    start: v.start,
    length: v.length,
    fileSystem: v.info?.kind ?? 'unknown',
    label: knownInfo(v)?.label ?? '',
    role: v.role,
    active: v.active,
    type: v.type,
    logical: v.logical,
    flags: v.flags,
    ...(v.typeGuid ? { typeGuid: v.typeGuid } : {}),
    ...(v.guid ? { guid: v.guid } : {}),
    ...(v.name ? { tableName: v.name } : {}),
    guarded: v.role === 'firmware' || v.role === 'recovery' || v.role === 'foreign' || v.role === 'swap',
    ...(v.info ? { clusterSize: v.info.clusterSize } : {}),
    ...(v.recognised ? { knownAs: `${v.recognised.title}${v.fault ? ', damaged' : ''}` } : {}),
  };
}

/** The layout as it is now. */
export function layoutOf(survey: Survey): Layout {
  const volumes = survey.volumes.map(laidFrom);
  const { size: diskSize, sectorSize, table, partitions } = survey;
  const room = partitions.kind === 'gpt' ? { tableEntries: partitions.entryCount * partitions.entrySize } : {};
  return { diskSize, sectorSize, table, volumes, ...room };
}
