/** Jobs as files: saved from the page, and opened in it, on the disk they are of or on another. */
import { copySourcesOf } from '@/core/inspect';
import {
  jobFile,
  jobFit,
  knownDisk,
  parseJobFile,
  takeOver,
  targetFrom,
  type JobFile,
  type KnownDisk,
  type TakenOver,
} from '@/core/job';
import type { DiskId } from '@/core/place';
import { diskMark } from '@/core/table';
import { edit, setNotes, wish } from './jobs';
import { findMends, findVolumes } from './health';
import { messageOf } from './keeping';
import { diskOf, get, set, type BenchDisk } from './store';
import { look } from './view';

/** More than any job has. */
const MOST_BYTES = 8 * 1024 * 1024;

/** What is planned on a disk, as a job to be saved; nothing where the disk is not open. */
export function jobFileOf(id: string): JobFile | undefined {
  const survey = diskOf(id)?.survey;
  const job = get().jobs[id];
  if (!survey || !job) return undefined;
  const planned = job.history.present;
  const others = get().disks.filter((d) => d.stored.id !== id && d.survey);
  const names = new Map<DiskId, string>(others.map((d) => [d.stored.id, d.stored.name]));
  const read = new Set([
    ...planned.volumes.flatMap(({ origin }) => (origin.kind === 'copy' ? [origin.of.disk] : [])),
    ...(planned.transfers ?? []).map((t) => t.from.disk),
  ]);
  const target = targetFrom(planned, survey, names);
  const { override = false, checkAtNextStart = false, retireFailing = false } = job.wishes ?? {};
  return jobFile(
    {
      made: new Date().toISOString(),
      disk: knownDisk(survey, diskOf(id)!.stored.name),
      others: others.filter((d) => read.has(d.stored.id)).map((d) => knownDisk(d.survey!, d.stored.name)),
      guarded: planned.volumes.flatMap(({ guarded, origin }) =>
        guarded && origin.kind === 'kept' ? [origin.number] : [],
      ),
      ...{ override, notes: job.notes ?? '' },
    },
    { ...target, checkAtNextStart, retireFailing },
  );
}

/** Reads a job from a file and asks on which disk it shall be taken over. */
export async function openJobFile(file: File): Promise<void> {
  try {
    if (file.size > MOST_BYTES) throw new Error(`${file.name} is larger than any job.`);
    set({ offered: parseJobFile(JSON.parse(await file.text())) });
  } catch (error) {
    const what = error instanceof SyntaxError ? 'it is not JSON' : messageOf(error);
    set({ problem: `${file.name} can’t be opened as a job: ${what}` });
  }
}

export const dismissJob = (): void => set({ offered: undefined });

const isDisk = ({ size, mark, name }: KnownDisk, disk: BenchDisk): boolean =>
  disk.survey !== undefined &&
  disk.survey.size === size &&
  (diskMark(disk.survey.partitions) === mark || disk.stored.name === name);

/** The open disks that a job can be taken over on, those that are most like its own first. */
export function disksFor(job: JobFile, disks: readonly BenchDisk[]): readonly BenchDisk[] {
  const open = disks.filter((d) => d.survey);
  const fits = new Map(open.map((d) => [d, jobFit(job, d.survey!)]));
  // A disk without what the job is about differs in less than one that has it.
  return open.sort((a, b) => {
    const [one, other] = [fits.get(a)!, fits.get(b)!];
    return one.unfit.length - other.unfit.length || one.differences.length - other.differences.length;
  });
}

/** What of a job fits a disk, before anything is taken over. */
export function fitOf(job: JobFile, id: string): { differences: readonly string[]; taken: TakenOver } | undefined {
  const { disks, jobs } = get();
  const survey = diskOf(id)?.survey;
  if (!survey || !jobs[id]) return undefined;
  const others = job.others.flatMap((known) => {
    const found = disks.find((d) => d.stored.id !== id && isDisk(known, d));
    return found?.survey ? [{ name: known.name, id: found.stored.id, survey: found.survey }] : [];
  });
  const sources = new Map(others.map((o) => [o.name, copySourcesOf(o.survey, o.id, o.name)] as const));
  const taken = takeOver(job, {
    ...{ survey, now: jobs[id].now, sources },
    disks: new Map(others.map((o) => [o.name, o.id])),
  });
  return { differences: jobFit(job, survey).differences, taken };
}

/** Makes a job the plan of a disk: one edit, which can be undone. */
export async function takeJob(id: string, job: JobFile): Promise<void> {
  set({ offered: undefined });
  // Volumes that were found, and what can be mended, are known only once they were looked for.
  if (job.target.volumes.some((v) => 'find' in v)) await findVolumes(id);
  if (job.target.mend) await findMends(id);
  const fit = fitOf(job, id);
  if (!fit) return;
  const { layout, notes } = fit.taken;
  edit(id, () => ({ ok: true, layout, name: `Job planned on ${job.disk.name}`, notes }));
  if (job.notes) setNotes(id, job.notes);
  const { override } = job;
  const { checkAtNextStart, retireFailing } = job.target;
  if (override || checkAtNextStart || retireFailing) wish(id, { override, checkAtNextStart, retireFailing });
  look({ currentId: id, stage: 'divide', selected: undefined });
}
