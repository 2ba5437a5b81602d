/** What views derive from the bench. */
import { sectorsIn, type SpeedResult } from '@/core/health';
import { changesBetween } from '@/core/layout';
import type { MediumKind } from '@/core/plan';
import { useMemo } from 'react';
import { useBench, type BenchDisk, type HealthView, type RunView } from './store';
import type { JobState } from './job';

/** The disk in hand with its job, once it is open. */
export interface Current {
  readonly id: string;
  readonly disk: BenchDisk;
  readonly job: JobState | undefined;
  readonly run: RunView | undefined;
}

export function useCurrent(): Current | undefined {
  const id = useBench((s) => s.currentId);
  const disk = useBench((s) => s.disks.find((d) => d.stored.id === id));
  const job = useBench((s) => (id ? s.jobs[id] : undefined));
  const run = useBench((s) => (id ? s.runs[id] : undefined));
  // The same object while nothing of it changes: what is deferred would else never come to rest.
  return useMemo(() => (id && disk ? { id, disk, job, run } : undefined), [id, disk, job, run]);
}

const NO_HEALTH: HealthView = { speeds: [] };

/** How sound a disk is, as far as it is known. */
export const useHealth = (id: string): HealthView => useBench((s) => s.health[id] ?? NO_HEALTH);

/** What a scan has found so far, in words for the plate of a disk; nothing where there is nothing to tell. */
export const useScanWords = (id: string): string | undefined =>
  useBench((s) => {
    const { scan, task } = s.health[id] ?? NO_HEALTH;
    if (!scan) return undefined;
    const faults = sectorsIn(scan.faults, scan.sectorSize);
    if (task?.kind === 'scan') return `scan: ${faults} fault${faults === 1 ? '' : 's'} so far`;
    return faults > 0 ? `scan: ${faults} fault${faults === 1 ? '' : 's'}` : undefined;
  });

/** How much the checks of a disk have found, in words; nothing where that is nothing. */
export const useFindingWords = (id: string): string | undefined =>
  useBench((s) => {
    const survey = s.disks.find((d) => d.stored.id === id)?.survey;
    if (!survey) return undefined;
    const all = [...survey.findings, ...survey.volumes.flatMap((v) => v.findings)];
    const [errors, warnings] = (['error', 'warning'] as const).map((of) => all.filter((f) => f.severity === of).length);
    const words = (n: number, one: string): string[] => (n > 0 ? [`${n} ${one}${n === 1 ? '' : 's'}`] : []);
    return [...words(errors!, 'fault'), ...words(warnings!, 'warning')].join(', ') || undefined;
  });

/** The last speed of every other disk that has one. */
export function useSpeeds(own: string): readonly { id: string; name: string; result: SpeedResult }[] {
  const disks = useBench((s) => s.disks);
  const health = useBench((s) => s.health);
  return useMemo(
    () =>
      disks.flatMap(({ stored: { id, name } }) => {
        const result = health[id]?.speeds.at(-1);
        return id === own || !result ? [] : [{ id, name, result }];
      }),
    [disks, health, own],
  );
}

/** How many changes are planned; that failing places go out of use is one. */
export const changesIn = (job: JobState | undefined): number =>
  job ? changesBetween(job.now, job.history.present).count + (job.wishes?.retireFailing ? 1 : 0) : 0;

function mediumOf(stored: BenchDisk['stored']): MediumKind | undefined {
  return stored.source.kind === 'practice' ? stored.source.recipe.medium : undefined;
}

/** What is known of failing sectors, in words for the plate of a disk. */
export function failingWords(stored: BenchDisk['stored']): string | undefined {
  if (stored.source.kind !== 'practice') return undefined;
  const sum = (list: readonly { sectors: number }[]): number => list.reduce((n, s) => n + s.sectors, 0);
  const { weak = [], dead = [] } = stored.source.recipe;
  const parts = [
    [sum(weak), 'weak'],
    [sum(dead), 'dead'],
  ] as const;
  const words = parts.filter(([n]) => n > 0).map(([n, word]) => `${n} ${word}`);
  return words.length > 0 ? `${words.join(', ')} sectors` : undefined;
}

const MEDIUM_WORDS: Readonly<Record<MediumKind, string>> = {
  hdd: 'hard disk',
  ssd: 'SSD',
  nvme: 'NVMe',
  usb: 'USB stick',
  card: 'memory card',
};

export function mediumWords(stored: BenchDisk['stored']): string {
  const medium = mediumOf(stored);
  return medium ? MEDIUM_WORDS[medium] : 'image file';
}
