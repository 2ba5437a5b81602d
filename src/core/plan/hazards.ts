/** What a person should know before a run. */
import { overlapsAny, type ByteRange } from '@/core/fs';
import type { Survey } from '@/core/inspect';
import { spaced } from '@/core/size';
import type { Hazard } from './plan';
import type { SourceDisk } from './subjects';
import { stepHazards, stepRestarts, type Step, type StepCost } from './steps';
import { durationWords } from './words';

/** Stretches of the disk that are known to fail: read slowly, or not at all. Bytes, sorted. */
export interface Failing {
  readonly weak: readonly ByteRange[];
  readonly dead: readonly ByteRange[];
}

/** What hazards are told by, beside the steps. */
export interface HazardContext {
  readonly override?: boolean;
  readonly failing?: Failing;
  /** Other disks that volumes, or files, are copied from. */
  readonly disks?: readonly SourceDisk[];
}

/** Longer than this, and somebody will want to close the lid. */
const LONG_SECONDS = 120;

/** Hazards of a plan on this disk, the weightier first. */
export function hazardsOf(
  survey: Survey,
  steps: readonly Step[],
  total: StepCost,
  context: HazardContext = {},
): Hazard[] {
  if (steps.length === 0) return [];
  const out: Hazard[] = [];
  const warn = (message: string): void => void out.push({ severity: 'warning', message });
  const unsound = survey.volumes.flatMap((v) =>
    v.findings.filter((f) => f.severity === 'error').map((f) => ({ v, f })),
  );
  if (context.override)
    for (const { v, f } of unsound) warn(`Gone on with against the advice: volume ${v.number}: ${f.message}`);
  for (const volume of survey.volumes)
    for (const finding of volume.findings.filter((f) => f.severity === 'warning'))
      warn(`Volume ${volume.number}: ${finding.message}`);
  for (const message of failingWords(survey, context.failing)) warn(message);
  for (const disk of context.disks ?? []) for (const message of salvageWords(disk, steps)) warn(message);
  for (const step of steps) for (const message of stepHazards(step)) warn(message);
  const inform = (message: string): void => void out.push({ severity: 'info', message });
  inform('Is there a backup? The original is never written here, the disk it goes back to will be.');
  if (total.seconds > LONG_SECONDS)
    inform(`It takes about ${durationWords(total.seconds)}: connect a laptop’s power supply and leave the lid open.`);
  if (total.carries > 0) inform('A power cut at any moment loses nothing: the run goes on where it was.');
  return out;
}

function failingWords(survey: Survey, failing: Failing | undefined): string[] {
  const out: string[] = [];
  const count = (ranges: readonly ByteRange[]): number =>
    ranges.reduce((sum, r) => sum + (r.end - r.start) / survey.sectorSize, 0);
  const [weak, dead] = [count(failing?.weak ?? []), count(failing?.dead ?? [])];
  const plural = (n: number): string => `${spaced(n)} sector${n === 1 ? '' : 's'}`;
  if (weak > 0)
    out.push(
      `${plural(weak)} of this disk can be read only at a further try. It is wearing out: have a copy before anything else.`,
    );
  if (dead > 0) {
    const hit = survey.volumes.filter((v) => failing!.dead.some((d) => liesIn(v, d)));
    const where =
      hit.length > 0
        ? ` What lies on them in volume ${hit.map((v) => v.number).join(', ')} is lost already, and a run stops clean where it meets one.`
        : ' Nothing in use lies on them.';
    out.push(`${plural(dead)} can’t be read at all.${where}`);
  }
  return out;
}

/** What a disk that fails means for what is copied from it. */
function salvageWords({ disk, name, survey, failing }: SourceDisk, steps: readonly Step[]): string[] {
  const read = steps.flatMap((s) =>
    (s.kind === 'transfer' || (s.kind === 'carry' && s.keeps)) && s.from.disk === disk ? [s.from.start] : [],
  );
  const hit = survey.volumes.filter((v) => read.includes(v.start) && failing?.dead.some((d) => liesIn(v, d)));
  if (hit.length === 0) return [];
  return [
    `Parts of ${name} can’t be read. It is copied as far as it goes: what can’t be read becomes zeros, and the proof names every file that lost bytes.`,
  ];
}

function liesIn(volume: Survey['volumes'][number], { start, end }: ByteRange): boolean {
  const [from, to] = [Math.max(start, volume.start), Math.min(end, volume.start + volume.length)];
  return from < to && overlapsAny(volume.allocation, from - volume.start, to - volume.start);
}

/** Why a machine must restart: what it runs from can't be changed while it does. */
export function restartOf(steps: readonly Step[], systems: ReadonlySet<string>): string | undefined {
  const changed = steps.find((s) => stepRestarts(s) && systems.has(s.name));
  return changed && `${changed.name} is in use while its system runs`;
}
