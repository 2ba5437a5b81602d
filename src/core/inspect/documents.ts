/** What is known of a disk as the runner prints it and files hold it: plain JSON of a stated version. */
import type { Finding } from '@/core/errors';
import { formatSize, sizeFaces, spaced } from '@/core/size';
import type { Hit } from './hits';
import { fileSystemOf, knownInfo, type Survey } from './survey';
import type { SurveyedVolume } from './survey-volume';

/** What `find` prints. */
export function findDocument(lost: readonly SurveyedVolume[]) {
  return {
    version: 1 as const,
    volumes: lost.map((v, i) => ({
      number: i + 1,
      start: v.start,
      length: v.length,
      size: sizeFaces(v.length),
      fileSystem: fileSystemOf(v),
      label: v.info?.label ?? '',
      used: v.info?.used ?? null,
      files: v.files,
      whole: v.lost?.whole ?? 0,
      mends: v.seen?.mends ?? [],
      findings: v.findings,
    })),
  };
}

/** A place and what lies on it, in a line. */
export function hitWords({ start, end, sectors, number, what, path }: HitDocument): string {
  const where = number === undefined ? '' : ` of volume ${number}`;
  return `${spaced(sectors)} sector${sectors === 1 ? '' : 's'} at ${formatSize(start)} (bytes ${start} to ${end}): ${path ?? what}${where}`;
}

interface ScannedStretch {
  readonly stretch: { readonly start: number; readonly end: number };
  readonly seconds: number;
  readonly sectorSize: number;
  readonly faults: readonly Hit[];
  readonly slow: readonly Hit[];
}

type HitDocument = Hit & { readonly sectors: number };

/** What `scan` prints, and what a saved list of faults holds. */
export function scanDocument({ stretch, seconds, sectorSize, faults, slow }: ScannedStretch) {
  const counted = (hit: Hit): HitDocument => ({ ...hit, sectors: (hit.end - hit.start) / sectorSize });
  return {
    version: 1 as const,
    start: stretch.start,
    bytes: stretch.end - stretch.start,
    seconds,
    faults: faults.map(counted),
    slow: slow.map(counted),
  };
}

/** What `inspect` prints. */
export function inspectDocument(survey: Survey) {
  return {
    version: 1 as const,
    disk: {
      size: sizeFaces(survey.size),
      sectorSize: survey.sectorSize,
      table: survey.table,
      signature: survey.diskSignature,
    },
    volumes: survey.volumes.map((v) => ({
      number: v.number,
      start: v.start,
      size: sizeFaces(v.length),
      fileSystem: fileSystemOf(v),
      label: knownInfo(v)?.label ?? '',
      clusterSize: knownInfo(v)?.clusterSize ?? null,
      used: knownInfo(v)?.used ?? null,
      files: v.files,
      floor: v.limits?.floor ?? null,
      ceiling: v.limits?.ceiling ?? null,
      role: v.role,
      active: v.active,
      type: v.type,
      fault: v.fault?.message ?? null,
    })),
    unallocated: survey.unallocated.map(({ start, end }) => ({ start, size: sizeFaces(end - start) })),
    findings: survey.findings,
  };
}

/** What `check` prints. */
export function checkDocument(
  volumes: readonly { number: number; fileSystem: string; findings: readonly Finding[] }[],
  table: readonly Finding[],
) {
  return { version: 1 as const, table, volumes };
}

/** What kinds of steps are called in documents of version 1: carrying has a name for each way. */
