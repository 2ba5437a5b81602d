/** That a run goes on only on the disk it is for, and in the state its journal says: compared before its first write. */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { joinRanges, overlapsAny, type ByteRange } from '@/core/fs';
import { differenceOf, factsOf, surveyDisk, type Survey } from '@/core/inspect';
import { ALIGNMENT } from '@/core/layout';
import { isHere, type DiskId } from '@/core/place';
import { stepTable, stepTouches, stillFree, type Plan } from '@/core/plan';
import { readTable, type DiskTable } from '@/core/table';
import type { RunState } from './journal-state';
import type { RunPorts } from './ports';
import { hasSamples } from './samples';

/** The disks as they were looked at: the one that is divided, and each that something is taken from. */
export interface Surveyed {
  readonly survey: Survey;
  readonly sources: ReadonlyMap<DiskId, Survey>;
}

/**
 * Surveys the disk and compares it with what the plan relies on, and the other disks with what they lend.
 * @throws CoreError `run.changed`, `run.source`, `run.elsewhere`
 */
export async function assertAsPlanned(plan: Plan, { disk, others }: RunPorts): Promise<Surveyed> {
  const survey = await surveyDisk(disk, undefined, undefined, true);
  const difference = differenceOf(plan.relies, factsOf(survey));
  if (difference) throw new CoreError('run.changed', { reason: difference });
  assertAtHand(plan, others);
  const sources = new Map<DiskId, Survey>();
  for (const { disk: id, name, relies } of plan.sources) {
    const source = await surveyDisk(others!.get(id)!);
    sources.set(id, source);
    const changed = differenceOf(relies, factsOf(source));
    if (changed) throw new CoreError('run.source', { name, reason: changed });
  }
  for (const [id, other] of others ?? []) {
    const name = plan.lent.find((l) => l.disk === id)?.name;
    if (name === undefined || stillFree(await surveyDisk(other), id, plan.lent)) continue;
    throw new CoreError('run.elsewhere', { name, reason: 'the room that the plan takes of it is in use' });
  }
  return { survey, sources };
}

/**
 * @throws CoreError `run.source`, `run.elsewhere` when a disk that is copied from, or lends room, is not there, or is
 *   shorter than what it lends
 */
function assertAtHand(plan: Plan, others: RunPorts['others']): void {
  for (const { disk, name, relies } of plan.sources) {
    const device = others?.get(disk);
    if (!device) throw new CoreError('run.source', { name, reason: 'it is not at hand' });
    if (device.size !== relies.size) throw new CoreError('run.source', { name, reason: 'it has another size' });
  }
  for (const { disk, name, start, length } of plan.lent) {
    const device = others?.get(disk);
    if (!device) throw new CoreError('run.elsewhere', { name, reason: 'it is not at hand' });
    if (start + length > device.size) throw new CoreError('run.elsewhere', { name, reason: 'it has become smaller' });
  }
}

/**
 * Compares the disks with what the journal says of them, but for what the run has changed itself.
 * @throws CoreError `journal.foreign`, `run.changed`, `run.source`, `run.elsewhere`
 */
export async function assertAsLeft(state: RunState, { disk, original, others }: RunPorts): Promise<void> {
  const foreign = (reason: string): CoreError => new CoreError('journal.foreign', { reason });
  if (state.disk.size !== disk.size || state.disk.sectorSize !== disk.sectorSize)
    throw foreign(`it is for a disk of ${state.disk.size} bytes, this one has ${disk.size}`);
  const changed = changedBy(state);
  const own = (range: ByteRange): boolean => overlapsAny(changed, range.start, range.end);
  if (!(await hasSamples(disk, state.disk, own)))
    throw foreign('what the run has not touched yet is not what it was when the run began');
  const fault = await tableFault(state, disk);
  if (fault) throw foreign(fault);
  assertAtHand(state.plan, others);
  const touched = [...state.plan.lent, ...state.plan.steps.slice(0, state.next + 1).flatMap(stepTouches)];
  for (const { disk: id, samples } of state.others) {
    const name = state.plan.sources.find((s) => s.disk === id)?.name ?? id;
    const changed = touched.filter((l) => l.disk === id);
    const own = ({ start, end }: ByteRange): boolean =>
      changed.some((l) => l.start < end && start < l.start + l.length);
    if (!(await hasSamples(others!.get(id)!, samples, own)))
      throw new CoreError('run.source', { name, reason: 'it is not what it was when the run began' });
  }
  if (original && !(await hasSamples(original, state.disk)))
    throw new CoreError('run.changed', { reason: 'the image is not what it was when the run began' });
}

/** What the steps up to the one in hand may have written, tables with it. */
function changedBy({ plan, next }: RunState): ByteRange[] {
  const steps = plan.steps.slice(0, next + 1);
  const { size, sectorSize } = plan.relies;
  const places = steps.flatMap(stepTouches).filter(isHere);
  const ranges = places.map(({ start, length }) => ({ start, end: start + length }));
  for (const table of steps.flatMap((s) => stepTable(s) ?? []))
    ranges.push(
      { start: 0, end: ALIGNMENT },
      { start: Math.max(0, size - ALIGNMENT), end: size },
      ...bootRecords(table).map((lba) => ({ start: lba * sectorSize, end: (lba + 1) * sectorSize })),
    );
  return joinRanges(ranges);
}

const bootRecords = (table: DiskTable): number[] => (table.kind === 'mbr' ? table.logicals.map((l) => l.ebrLba) : []);

/** Why the table is not the one that the run left, or undefined when it is, or when it is being written. */
async function tableFault({ plan, next, committed }: RunState, disk: BlockDevice): Promise<string | undefined> {
  const step = plan.steps[next];
  if (committed && step && stepTable(step)) return undefined;
  const written = plan.steps
    .slice(0, next)
    .flatMap((s) => stepTable(s) ?? [])
    .at(-1);
  // Where all of the disk is written over there is no table until another step writes one.
  const wiping = plan.steps.slice(0, next + 1).some((s) => s.kind === 'wipe' && s.what === 'disk');
  if (wiping && !written) return undefined;
  const expected = written ?? plan.relies.table;
  // A file system that takes the whole disk has a boot record that is no table.
  if (expected.kind === 'none') return undefined;
  const { table } = await readTable(disk);
  return placesIn(table) === placesIn(expected) ? undefined : 'the partition table is not the one that the run left';
}

function placesIn(table: DiskTable): string {
  if (table.kind === 'none') return 'none';
  const places =
    table.kind === 'gpt'
      ? table.entries.map((e) => [e.firstLba, e.lastLba])
      : [...table.primaries, ...table.logicals].map((e) => [e.startLba, e.startLba + e.lengthSectors - 1]);
  return JSON.stringify([table.kind, places.sort((a, b) => a[0]! - b[0]!)]);
}
