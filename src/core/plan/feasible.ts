/** Whether a planned layout can be reached at all; what needs an order to be found is not asked here. */
import { CoreError } from '@/core/errors';
import { boundsOf, type Survey, type SurveyedVolume } from '@/core/inspect';
import { endOf, lastUsable, nameOf, settle, tableEnd, type LaidVolume, type Layout } from '@/core/layout';
import { refused, unsound } from './refused';
import type { Copied, Kept } from './subjects';

/** What is asked. */
export interface Wanted {
  readonly survey: Survey;
  readonly planned: Layout;
  readonly kept: readonly Kept[];
  readonly copied: readonly Copied[];
  readonly override: boolean;
  /** Volumes that get as small as planned only once folders have left them. */
  readonly giving: ReadonlySet<number>;
}

/** @throws CoreError `plan.refused`, `fs.*` with the reason why it can't be reached */
export function assertFeasible(wanted: Wanted): void {
  assertTable(wanted);
  assertPlaces(wanted);
  for (const kept of wanted.kept) assertKept(kept, wanted);
  for (const copied of wanted.copied) assertCopied(copied, wanted);
}

function assertTable({ survey, planned, kept }: Wanted): void {
  const error = survey.findings.find((f) => f.severity === 'error');
  const stays = kept.some((k) => !k.mending?.lost);
  const wiped = planned.wipes?.some((w) => w.what === 'disk') ?? false;
  if (wiped && kept.length > 0) throw refused('wipe.keeps', {});
  const anew = wiped || (planned.mendTable && !stays);
  if (error && !anew) throw refused('table.damaged', { fault: error.message });
  if (planned.table !== survey.table && !wiped && (planned.table === 'none' || (survey.table === 'none' && !anew)))
    throw refused('table.before-kept', {});
}

function assertPlaces({ survey, planned }: Wanted): void {
  let at = tableEnd({ ...planned, diskSize: survey.size, sectorSize: survey.sectorSize });
  for (const volume of planned.volumes) {
    if (volume.start < at) throw refused('place.overlap', { volume: nameOf(volume) });
    if (volume.start % survey.sectorSize || volume.length % survey.sectorSize)
      throw refused('place.sectors', { volume: nameOf(volume) });
    at = endOf(volume);
  }
  if (at > lastUsable(planned)) throw refused('place.past-end', { bytes: at - lastUsable(planned) });
  const settled = settle(planned, boundsOf(survey));
  if (!settled.ok) throw new CoreError('plan.refused', { why: settled.code, reason: settled.reason });
  const moved = settled.layout.volumes.find((v, i) => {
    const own = planned.volumes[i]!;
    return v.start !== own.start || v.length !== own.length || v.logical !== own.logical;
  });
  if (moved) throw refused('place.no-entry', { volume: nameOf(moved) });
}

function assertKept({ planned, now, before }: Kept, { survey, override, giving }: Wanted): void {
  if (planned.format) return;
  assertSame(planned, now, before.fileSystem, before.label);
  const error = override ? undefined : now.findings.find((f) => f.severity === 'error');
  if (planned.start !== now.start) {
    if (survey.table === 'none') throw refused('place.untabled', { volume: nameOf(planned) });
    if (error && now.info) throw unsound(now, error.message);
  }
  if (!giving.has(now.number)) assertLength(planned.length, before.length, now, error?.message);
}

function assertCopied({ planned, origin, original, survey: source, whole }: Copied, wanted: Wanted): void {
  assertSame(planned, original, original.info?.kind ?? 'unknown', original.info?.label ?? '');
  const [error] = original.findings.filter((f) => f.severity === 'error');
  // One that is not sound is copied as it is, every byte; nothing of it is changed.
  assertLength(planned.length, original.length, original, whole ? error?.message : undefined);
  if (source.sectorSize !== wanted.survey.sectorSize && original.info)
    throw refused('copy.sectors', {
      ...{ volume: origin.name, disk: origin.diskName },
      ...{ theirs: source.sectorSize, ours: wanted.survey.sectorSize },
    });
}

/** What stays with a volume: its kind, and its label where that can't be changed. */
function assertSame(planned: LaidVolume, now: SurveyedVolume, fileSystem: string, label: string): void {
  if (planned.fileSystem !== fileSystem) throw refused('volume.changes-kind', { volume: nameOf(planned) });
  if (planned.label !== label && !now.abilities.relabel)
    throw new CoreError('fs.ability', { fileSystem: titleOf(now), ability: 'change its label' });
}

function assertLength(wanted: number, before: number, now: SurveyedVolume, error: string | undefined): void {
  if (wanted === before) return;
  const shrinks = wanted < before;
  const ability = shrinks ? 'shrink' : 'grow';
  if (!now.abilities[ability] || !now.limits) throw new CoreError('fs.ability', { fileSystem: titleOf(now), ability });
  if (error) throw unsound(now, error);
  const { floor, ceiling } = now.limits;
  if (shrinks && wanted < floor.bytes)
    throw new CoreError('fs.below-floor', { wanted, floor: floor.bytes, reason: floor.reason });
  if (!shrinks && wanted > ceiling.bytes)
    throw new CoreError('fs.above-ceiling', { wanted, ceiling: ceiling.bytes, reason: ceiling.reason });
}

const titleOf = (now: SurveyedVolume): string => now.info?.title ?? 'unknown';
