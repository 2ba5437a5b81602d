/**
 * A job as a file: what a person planned, and what the disk it was planned on is known by. Saved by the page and by the
 * runner, and taken up by either. Its JSON Schema is published in docs/job.schema.json.
 */
import { CoreError } from '@/core/errors';
import { identityOf, type Survey } from '@/core/inspect';
import { formatSize, spaced } from '@/core/size';
import { diskMark } from '@/core/table';
import * as z from 'zod';
import { targetSchema, type Target, type TargetInput } from './target';

const JOB_VERSION = 1;

const count = z.int().min(0);

const knownVolumeSchema = z.strictObject({
  number: z.int().min(1).describe('As inspect lists it'),
  start: count.describe('Bytes'),
  length: count.describe('Bytes'),
  fileSystem: z.string().max(60),
  label: z.string().max(200),
  serial: z.string().max(100),
  files: count,
});

const knownDiskSchema = z.strictObject({
  name: z.string().max(500).describe('What the disk, or its file, was called'),
  size: z.int().min(1).describe('Bytes'),
  sectorSize: z.union([z.literal(512), z.literal(4096)]),
  table: z.enum(['none', 'mbr', 'gpt']),
  mark: z.string().max(40).describe('The GUID or the signature that the table has for the disk; empty without a table'),
  volumes: z.array(knownVolumeSchema).max(40_000),
});

/** A disk as a job knows it. */
export type KnownDisk = z.output<typeof knownDiskSchema>;

export const jobFileSchema = z.strictObject({
  version: z.literal(JOB_VERSION),
  document: z.literal('job'),
  made: z.string().max(40).describe('When, in ISO 8601'),
  disk: knownDiskSchema.describe('The disk that is divided, as it was when this was planned'),
  others: z.array(knownDiskSchema).max(100).default([]).describe('Disks that something is copied from, by name'),
  target: targetSchema.describe('The planned layout'),
  guarded: z.array(z.int().min(1)).max(40_000).default([]).describe('Numbers of volumes that a person guards'),
  override: z.boolean().default(false).describe('Goes on with volumes whose check found errors'),
  notes: z.string().max(20_000).default('').describe('For the customer'),
});

export type JobFile = z.output<typeof jobFileSchema>;

/** What a disk is known by. */
export const knownDisk = ({ size, sectorSize, table, partitions, volumes }: Survey, name: string): KnownDisk => ({
  name: name.slice(0, 500),
  ...{ size, sectorSize: sectorSize as KnownDisk['sectorSize'], table },
  mark: diskMark(partitions),
  volumes: volumes.map(identityOf),
});

/** A job as it is saved. */
export function jobFile(
  job: Pick<JobFile, 'made' | 'disk'> & Partial<Pick<JobFile, 'others' | 'guarded' | 'override' | 'notes'>>,
  target: TargetInput,
): JobFile {
  return jobFileSchema.parse({ version: JOB_VERSION, document: 'job', ...job, target });
}

/** What makes a job of an older version one of the next; by the version it is of. */
const MIGRATIONS: Readonly<Record<number, (older: Record<string, unknown>) => Record<string, unknown>>> = {};

/** A job from a file. @throws CoreError `document.invalid` */
export function parseJobFile(input: unknown): JobFile {
  const result = jobFileSchema.safeParse(migrated(input));
  if (result.success) return result.data;
  const issue = result.error.issues[0]!;
  throw new CoreError('document.invalid', {
    what: 'The job',
    reason: `${issue.path.join('.') || 'the whole'}: ${issue.message}`,
  });
}

function migrated(input: unknown): unknown {
  let job = input as Record<string, unknown> | null;
  if (typeof job !== 'object' || job === null || job.document !== 'job') return input;
  if (typeof job.version === 'number' && job.version > JOB_VERSION)
    throw new CoreError('document.invalid', {
      what: 'The job',
      reason: `it is a job of version ${job.version}, and this knows ${JOB_VERSION}`,
    });
  for (let step = MIGRATIONS[job.version as number]; step; step = MIGRATIONS[job.version as number]) job = step(job);
  return job;
}

/** How the disk in hand is not the one that a job was planned on. */
interface JobFit {
  /** Every difference, in sentences; none on the disk itself. */
  readonly differences: readonly string[];
  /** What the job does with volumes that are not there, or are something else: the reasons, and their numbers. */
  readonly unfit: readonly string[];
  readonly missing: readonly number[];
}

/** Compares a disk with the one that a job was planned on. */
export function jobFit({ disk: was, target }: Pick<JobFile, 'disk' | 'target'>, survey: Survey): JobFit {
  const is = knownDisk(survey, was.name);
  const differences: string[] = [];
  const differ = (what: string, before: string | number, now: string | number): void =>
    void (before === now || differences.push(`${what}: ${before || 'none'} in the job, ${now || 'none'} here.`));
  const size = (bytes: number): string => `${formatSize(bytes)} (${spaced(bytes)} bytes)`;
  differ('Size of the disk', size(was.size), size(is.size));
  differ('Bytes of a sector', was.sectorSize, is.sectorSize);
  differ('Table', was.table, is.table);
  differ('The disk’s own number', was.mark, is.mark);
  const unfit: string[] = [];
  const missing: number[] = [];
  const used = new Set([...numbersIn(target), ...target.remove]);
  for (const volume of was.volumes) {
    const { number } = volume;
    const here = is.volumes.find((v) => v.number === number);
    const name = `Volume ${number}`;
    if (here) {
      differ(`${name} begins at`, size(volume.start), size(here.start));
      differ(`${name} is long`, size(volume.length), size(here.length));
      differ(`${name} holds`, volume.fileSystem, here.fileSystem);
      differ(`${name} is labelled`, volume.label, here.label);
      differ(`${name} has the serial number`, volume.serial, here.serial);
      differ(`${name}, files`, volume.files, here.files);
    } else differences.push(`${name} (${volume.label || volume.fileSystem}) is not on this disk.`);
    if (!used.has(number) || (here && here.fileSystem === volume.fileSystem)) continue;
    missing.push(number);
    unfit.push(
      here
        ? `${name} is ${volume.fileSystem} in the job, and ${here.fileSystem} here.`
        : `${name} of the job is not on this disk.`,
    );
  }
  for (const { number } of is.volumes)
    if (!was.volumes.some((v) => v.number === number))
      differences.push(`Volume ${number} of this disk is not in the job.`);
  return { differences, unfit, missing };
}

/** Numbers of volumes of the disk itself that a target does something with, but for those it only removes. */
function numbersIn({ volumes, transfers, wipe }: Target): number[] {
  return [
    ...volumes.flatMap((v) => ('keep' in v ? [v.keep] : 'copy' in v && v.from === undefined ? [v.copy] : [])),
    ...transfers.flatMap(({ from }) => (from.disk === undefined ? [from.volume] : [])),
    ...wipe.flatMap(({ volume }) => (volume === undefined ? [] : [volume])),
  ];
}

/** What of a job can be taken over on a disk that is not the one it was planned on, and what is left out. */
interface AdaptedJob {
  readonly target: Target;
  readonly left: readonly string[];
}

/**
 * The target of a job without what does not fit the disk in hand: volumes that are something else are left as they are, and
 * those that the job does not know stay.
 */
export function adaptedTarget(job: Pick<JobFile, 'disk' | 'target'>, survey: Survey): AdaptedJob {
  const { missing, unfit } = jobFit(job, survey);
  const gone = new Set(missing);
  const { target } = job;
  const names = new Set<string>();
  const fits = target.volumes.filter(
    (v) => !('keep' in v && gone.has(v.keep)) && !('copy' in v && v.from === undefined && gone.has(v.copy)),
  );
  for (const v of fits) if ('as' in v && v.as !== undefined) names.add(v.as);
  const remove = target.remove.filter((n) => !gone.has(n));
  const told = new Set([...remove, ...fits.flatMap((v) => ('keep' in v ? [v.keep] : []))]);
  const stays = survey.volumes
    .filter((v) => !told.has(v.number))
    .map(({ number, start }) => ({ keep: number, at: start }));
  const volumes: Target['volumes'] = [...fits];
  for (const { keep, at } of stays) {
    const before = volumes.findIndex(
      (v) => 'keep' in v && survey.volumes.some((s) => s.number === v.keep && s.start > at),
    );
    volumes.splice(before < 0 ? volumes.length : before, 0, { keep });
  }
  const transfers = target.transfers.filter(
    ({ from, to }) => names.has(to) && !(from.disk === undefined && gone.has(from.volume)),
  );
  const wipe = target.wipe.filter(({ volume }) => volume === undefined || !gone.has(volume));
  return { target: { ...target, volumes, remove, transfers, wipe }, left: unfit };
}
