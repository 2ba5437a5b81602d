/** Papers of the disk in hand, put together from what the page knows. */
import { layoutOf } from '@/core/inspect';
import type { Plan } from '@/core/plan';
import { certificatePaper, jobSheet, pictureFile, volumeList, type Paper } from '@/core/report';
import { whenWords } from './dates';
import { get, type BenchDisk } from './store';
import { mediumWords, type Current } from './selectors';

/** The job sheet of what is planned. */
export function sheetOf({ disk, job }: Current, plan: Plan): Paper {
  return jobSheet({
    ...{ disk: disk.stored.name, medium: mediumWords(disk.stored), survey: disk.survey!, plan },
    ...{ now: job!.now, planned: job!.history.present, notes: job!.notes ?? '', when: whenWords(new Date()) },
  });
}

/** The certificate of the last run; undefined where there was none. */
export function certificateOf({ disk, job, run }: Current): Paper | undefined {
  const certificate = run?.certificate;
  if (!certificate) return undefined;
  return certificatePaper({
    ...{ disk: disk.stored.name, medium: mediumWords(disk.stored), certificate, survey: disk.survey! },
    ...{ now: job!.now, notes: job!.notes ?? '' },
    ...(job!.ran ? { ran: job!.ran } : {}),
    time: whenWords,
  });
}

/** The disk as a picture, with what is planned beside it where that is something else. */
export function pictureOfDisk({ disk, job }: Current): string {
  const { now, history } = job!;
  const planned = history.present === now || history.past.length === 0 ? undefined : history.present;
  return pictureFile(disk.survey!, now, planned);
}

/** The volumes of disks as CSV, with the letters and roles that their jobs know. */
export function listOf(disks: readonly BenchDisk[]): string {
  return volumeList(
    disks.flatMap(({ stored, survey }) => {
      if (!survey) return [];
      const laid = get().jobs[stored.id]?.now ?? layoutOf(survey);
      const known = new Map(
        laid.volumes.flatMap((v) => (v.origin.kind === 'kept' ? [[v.origin.number, v] as const] : [])),
      );
      return [{ name: stored.name, survey, known }];
    }),
  );
}
