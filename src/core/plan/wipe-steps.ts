/** The steps that write over what nobody wants, from what is wished. */
import type { Survey } from '@/core/inspect';
import { endOf, lastUsable, nameOf, type LaidVolume, type Layout, type WipeWish } from '@/core/layout';
import { HERE, type Place } from '@/core/place';
import { gptRoom, type DiskTable } from '@/core/table';
import { refused, unsound } from './refused';
import type { StepMakers } from './step-makers';
import type { WipeStep } from './steps';
import type { Kept } from './subjects';
import { tableFor } from './table-entries';

/** Steps by when they are done. */
export interface WipeSteps {
  readonly disk: readonly WipeStep[];
  /** Of volumes that go, right behind their going. */
  readonly removed: readonly { readonly number: number; readonly step: WipeStep }[];
  readonly unallocated: readonly WipeStep[];
  readonly free: readonly WipeStep[];
  readonly count: number;
}

const place = (start: number, end: number): Place => ({ disk: HERE, start, length: end - start });
const bytesOf = (places: readonly Place[]): number => places.reduce((sum, p) => sum + p.length, 0);

/** @throws CoreError `plan.refused`, `fs.unsound` */
export function wipeSteps(
  survey: Survey,
  planned: Layout,
  kept: readonly Kept[],
  make: StepMakers,
  override: boolean,
): WipeSteps {
  const wishes = planned.wipes ?? [];
  const step = (wish: WipeWish, name: string, places: readonly Place[], bytes: number, number?: number): WipeStep => {
    const { what, passes, compare } = wish;
    return make.wipe({ name, what, places, passes, compare, ...(number === undefined ? {} : { number }) }, bytes);
  };
  const over = (wish: WipeWish, name: string, places: readonly Place[]): WipeStep[] =>
    places.length > 0 ? [step(wish, name, places, bytesOf(places))] : [];
  const disk = wishes.filter((w) => w.what === 'disk').flatMap((w) => over(w, 'the disk', [place(0, survey.size)]));
  const unallocated = wishes
    .filter((w) => w.what === 'unallocated')
    .flatMap((w) => over(w, 'what is unallocated', unallocatedIn(survey, planned)));
  const removed = wishes.flatMap((wish) => {
    if (wish.what !== 'volume') return [];
    const volume = survey.volumes.find((v) => v.number === wish.number);
    if (!volume || kept.some((k) => k.now.number === wish.number && !k.planned.format))
      throw refused('wipe.not-going', { volume: wish.name });
    const places = [place(volume.start, Math.min(endOf(volume), survey.size))];
    return [{ number: wish.number, step: step(wish, wish.name, places, bytesOf(places)) }];
  });
  const free = wishes.flatMap((wish): WipeStep[] => {
    if (wish.what !== 'free') return [];
    const own = kept.find((k) => k.planned.id === wish.volume && !k.planned.format);
    if (!own?.now.info) throw refused('wipe.free', {});
    const { planned: volume, now } = own;
    const error = override ? undefined : now.findings.find((f) => f.severity === 'error');
    if (error) throw unsound(now, error.message);
    const bytes = Math.max(0, volume.length - now.info!.used);
    return [step(wish, nameOf(volume), [place(volume.start, endOf(volume))], bytes, now.number)];
  });
  const count = disk.length + removed.length + unallocated.length + free.length;
  return { disk, removed, unallocated, free, count };
}

/**
 * What the planned layout gives to nobody: between volumes, and where volumes that go have been, but for tables, boot
 * records of logical volumes, and what stands behind a master boot record to start the machine.
 */
function unallocatedIn(survey: Survey, planned: Layout): Place[] {
  const { size, sectorSize } = survey;
  const table = tableFor(survey, planned);
  const first = table.kind === 'gpt' ? gptRoom(table, size, sectorSize).first : firstBehind(survey, planned);
  const last = table.kind === 'mbr' ? size : lastUsable(planned);
  const taken = [...planned.volumes.map((v) => [v.start, endOf(v)] as const), ...bootRecords(table, sectorSize)];
  const out: Place[] = [];
  let at = first;
  for (const [start, end] of [...taken, [last, last] as const].sort((a, b) => a[0] - b[0])) {
    if (start > at) out.push(place(at, Math.min(start, last)));
    at = Math.max(at, end);
  }
  return out.filter((p) => p.length > 0);
}

const ALIGNED = 1024 * 1024;

/** Behind a master boot record code may stand that starts the machine; what a volume held is none. */
function firstBehind({ volumes, sectorSize }: Survey, planned: Layout): number {
  if (planned.table === 'none') return 0;
  const starts = [...volumes, ...planned.volumes].map((v: Pick<LaidVolume, 'start'>) => v.start);
  return Math.max(sectorSize, Math.min(ALIGNED, ...starts));
}

const bootRecords = (table: DiskTable, sectorSize: number): (readonly [number, number])[] =>
  table.kind === 'mbr' ? table.logicals.map((l) => [l.ebrLba * sectorSize, (l.ebrLba + 1) * sectorSize] as const) : [];
