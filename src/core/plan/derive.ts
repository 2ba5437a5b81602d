/**
 * From (now, planned) to the work order: what must be done, in an order in which no step needs room that another has
 * not freed yet. Shrinks come first, then the table in one write, then what needs the freed room, then the proof.
 */
import { crc32 } from '@/core/bytes';
import { CoreError, hasErrors } from '@/core/errors';
import { bytesBeyond, findKind, totalOf } from '@/core/fs';
import { boundsOf, factsOf, layoutOf, type Survey, type SurveyedVolume } from '@/core/inspect';
import { endOf, lastUsable, nameOf, settle, type LaidVolume, type Layout } from '@/core/layout';
import { HERE, type Place, type Stretch } from '@/core/place';
import { gptRoom, USUAL_ENTRIES, USUAL_ENTRY_SIZE, type DiskTable } from '@/core/table';
import { formatSize } from '@/core/size';
import { afterOf } from './after';
import { hazardsOf, restartOf, type Failing } from './hazards';
import { planMoves, type Kept } from './plan-moves';
import { secondsFor, speedOf, type MediumKind, type MediumSpeed } from './medium';
import type { LentRoom, Plan } from './plan';
import type { Scratch } from './scratch';
import type {
  CheckStep,
  GrowStep,
  Loss,
  MakeStep,
  MarkStep,
  ProofBy,
  ProveStep,
  RelabelStep,
  RemoveStep,
  ShrinkStep,
  Step,
  StepCost,
  TableStep,
} from './steps';
import { refused } from './refused';
import { tableFor } from './table-entries';
import { verifyPlan } from './verify';

/** What the plan is derived from beside the two layouts. */
export interface PlanOptions {
  readonly medium?: MediumKind;
  /** How fast the medium is, where that is known better than by its kind. */
  readonly speed?: MediumSpeed;
  /** Goes on with volumes whose check found errors that do not make the change itself unsafe. */
  readonly override?: boolean;
  /** Stretches of the disk that are known to fail. */
  readonly failing?: Failing;
  /** Has the systems that changed volumes belong to check them at their next start. */
  readonly checkAtNextStart?: boolean;
  /** Unallocated stretches of other disks, for volumes that can be set aside nowhere on this one. */
  readonly scratch?: readonly Scratch[];
}

const NOTHING: Loss = { files: 0, bytes: 0 };
const SECTOR_WRITE = 4096;

/**
 * Derives the work order.
 * @throws CoreError `plan.refused` with the reason when the planned layout can't be reached
 */
export function derivePlan(survey: Survey, planned: Layout, options: PlanOptions = {}): Plan {
  const context = new Derivation(survey, planned, options);
  const steps = context.steps();
  const total = sumCosts(steps);
  const systems = new Set(planned.volumes.filter((v) => v.role === 'system').map((v) => nameOf(v)));
  const restart = restartOf(steps, systems);
  const plan: Plan = {
    relies: factsOf(survey),
    lent: lentFor(steps),
    steps,
    total,
    ...(restart ? { restart } : {}),
    leastCarried: steps.length > 0 ? context.leastCarried() : 0,
    loses: steps.reduce((sum, s) => ('loses' in s && s.loses ? addLoss(sum, s.loses) : sum), NOTHING),
    hazards: hazardsOf(survey, steps, total, options),
    after: afterOf(survey, planned),
  };
  verifyPlan(planned, plan);
  return plan;
}

/** The stretches of other disks that steps take, each told once. */
function lentFor(steps: readonly Step[]): LentRoom[] {
  const away = steps.flatMap((s) => (s.kind === 'carry' && s.to.disk !== HERE ? [{ ...s.to, name: s.other! }] : []));
  return away.filter(
    (a, i) => away.findIndex((b) => b.disk === a.disk && b.start === a.start && b.length === a.length) === i,
  );
}

const addLoss = (a: Loss, b: Loss): Loss => ({ files: a.files + b.files, bytes: a.bytes + b.bytes });

function sumCosts(steps: readonly Step[]): StepCost {
  return steps.reduce(
    (sum, { cost }) => ({
      reads: sum.reads + cost.reads,
      carries: sum.carries + cost.carries,
      writes: sum.writes + cost.writes,
      seconds: sum.seconds + cost.seconds,
    }),
    { reads: 0, carries: 0, writes: 0, seconds: 0 },
  );
}

class Derivation {
  readonly #kept: Kept[];
  readonly #now: Layout;

  constructor(
    private readonly survey: Survey,
    private readonly planned: Layout,
    private readonly options: PlanOptions,
  ) {
    this.#now = layoutOf(survey);
    this.#kept = planned.volumes.flatMap((v) => this.#keptOf(v));
  }

  #keptOf(planned: LaidVolume): Kept[] {
    if (planned.origin.kind !== 'kept') return [];
    const { number } = planned.origin;
    const now = this.survey.volumes.find((v) => v.number === number);
    const before = this.#now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number);
    if (!now || !before) throw refused(`volume ${number} is not on the disk`);
    return [{ planned, now, before }];
  }

  steps(): Step[] {
    this.#assertLayout();
    const removed = this.#removed();
    const grows = this.#kept.filter((k) => !k.planned.format && k.planned.length > k.before.length);
    const relabels = this.#kept.filter((k) => !k.planned.format && k.planned.label !== k.before.label);
    const moves = planMoves({
      survey: this.survey,
      now: this.#now,
      planned: this.planned,
      kept: this.#kept,
      scratch: this.options.scratch ?? [],
      cost: (reads, writes, seeks, carries) => this.#cost(reads, writes, seeks, carries),
    });
    const onTheWay = new Set(
      moves.flatMap((m) => (m.kind === 'carry' && m.to.length < m.from.length ? [m.number] : [])),
    );
    const shrinks = this.#kept.filter(
      (k) => !k.planned.format && k.planned.length < k.before.length && !onTheWay.has(k.now.number),
    );
    const moving = new Set(moves.flatMap((m) => (m.kind === 'carry' ? [m.number] : [])));
    const movers = this.#kept.filter((k) => moving.has(k.now.number));
    const changed = new Set([...shrinks, ...movers, ...grows, ...relabels]);
    const makes = this.planned.volumes.filter((v) => v.origin.kind === 'new' || v.format);
    const table = this.#table();
    if (!table && changed.size === 0 && makes.length === 0) return [];
    const proven = this.#kept.filter((k) => !k.planned.format);
    return [
      ...proven.map((k) => this.#check(k, changed.has(k))),
      ...removed.map((v) => this.#remove(v)),
      ...shrinks.map((k) => this.#shrink(k)),
      ...moves,
      ...(table ? [table] : []),
      ...makes.map((v) => this.#make(v)),
      ...grows.map((k) => this.#grow(k)),
      ...relabels.map((k) => this.#relabel(k)),
      ...proven.map((k) => this.#prove(k, changed.has(k))),
      ...(this.options.checkAtNextStart
        ? [...changed].filter((k) => k.now.abilities.mark).map((k) => this.#mark(k))
        : []),
    ];
  }

  #assertLayout(): void {
    const { survey, planned } = this;
    const error = survey.findings.find((f) => f.severity === 'error');
    const anew = planned.mendTable && this.#kept.length === 0;
    if (error && !anew) throw refused(`the table is damaged: ${error.message}`);
    if (planned.table !== survey.table && (planned.table === 'none' || (survey.table === 'none' && !anew)))
      throw refused('a table can’t be put before or taken from a volume that is kept');
    let at = planned.table === 'gpt' ? gptFirst(survey, planned) : 0;
    if (planned.table === 'mbr' && planned.volumes.some((v) => v.start === 0)) at = survey.sectorSize;
    for (const volume of planned.volumes) {
      if (volume.start < at) throw refused(`${nameOf(volume)} overlaps the volume before it`);
      if (volume.start % survey.sectorSize || volume.length % survey.sectorSize)
        throw refused(`${nameOf(volume)} does not begin and end between sectors`);
      at = endOf(volume);
    }
    if (at > lastUsable(planned))
      throw refused(`the volumes end ${formatSize(at - lastUsable(planned))} past the end of the disk`);
    const settled = settle(planned, boundsOf(survey));
    if (!settled.ok) throw new CoreError('plan.refused', { reason: settled.reason });
    const moved = settled.layout.volumes.find((v, i) => {
      const own = planned.volumes[i]!;
      return v.start !== own.start || v.length !== own.length || v.logical !== own.logical;
    });
    if (moved) throw refused(`${nameOf(moved)} has no place in the table as it is drawn`);
    for (const kept of this.#kept) this.#assertKept(kept);
  }

  #assertKept({ planned, now, before }: Kept): void {
    const name = nameOf(planned);
    if (planned.format) return;
    if (planned.fileSystem !== before.fileSystem)
      throw refused(`${name} can’t change its file system and keep its files`);
    const title = now.info?.title ?? 'unknown';
    if (planned.label !== before.label && !now.abilities.relabel)
      throw new CoreError('fs.ability', { fileSystem: title, ability: 'change its label' });
    const error = this.options.override ? undefined : now.findings.find((f) => f.severity === 'error');
    const unsound = (): CoreError =>
      new CoreError('fs.unsound', { fileSystem: title, findings: now.findings.length, first: error!.message });
    if (planned.start !== now.start) {
      if (this.survey.table === 'none') throw refused(`${name} can’t be moved on a disk without a table`);
      if (error && now.info) throw unsound();
    }
    if (planned.length === before.length) return;
    const shrinks = planned.length < before.length;
    const ability = shrinks ? 'shrink' : 'grow';
    if (!now.abilities[ability] || !now.limits) throw new CoreError('fs.ability', { fileSystem: title, ability });
    if (error) throw unsound();
    const { floor, ceiling } = now.limits;
    if (shrinks && planned.length < floor.bytes)
      throw new CoreError('fs.below-floor', { wanted: planned.length, floor: floor.bytes, reason: floor.reason });
    if (!shrinks && planned.length > ceiling.bytes)
      throw new CoreError('fs.above-ceiling', {
        wanted: planned.length,
        ceiling: ceiling.bytes,
        reason: ceiling.reason,
      });
  }

  #removed(): SurveyedVolume[] {
    const kept = new Set(this.#kept.map((k) => k.now.number));
    return this.survey.volumes.filter((v) => !kept.has(v.number));
  }

  get #speed(): MediumSpeed {
    return this.options.speed ?? speedOf(this.options.medium ?? 'ssd');
  }

  #cost(reads: number, writes: number, seeks: number, carries = 0): StepCost {
    return { reads, writes, carries, seconds: secondsFor(this.#speed, reads, writes, seeks) };
  }

  #check({ planned, now }: Kept, changes: boolean): CheckStep {
    const reads = totalOf(now.allocation);
    const cost = this.#cost(reads, 0, now.files);
    return {
      kind: 'check',
      name: nameOf(planned),
      number: now.number,
      by: proofBy(now, changes),
      changes,
      at: placeOf(now),
      files: now.files,
      cost,
    };
  }

  #shrink({ planned, now }: Kept): ShrinkStep {
    const carries = bytesBeyond(now.allocation, planned.length);
    const structures = Math.min(now.length, SECTOR_WRITE + carries / 1000);
    const cost = this.#cost(carries, carries + structures, 4 + carries / (1 << 20), carries);
    return { kind: 'shrink', name: nameOf(planned), at: placeOf(now), to: planned.length, cost };
  }

  leastCarried(): number {
    return this.#kept.reduce((sum, { planned, now }) => {
      if (planned.format) return sum;
      if (planned.start !== now.start) return sum + (now.info ? totalOf(now.allocation) : now.length);
      return sum + (planned.length < now.length ? bytesBeyond(now.allocation, planned.length) : 0);
    }, 0);
  }

  #grow({ planned, before }: Kept): GrowStep {
    const at = placeOf(planned);
    return { kind: 'grow', name: nameOf(planned), at, from: before.length, cost: this.#cost(0, SECTOR_WRITE, 4) };
  }

  #remove(now: SurveyedVolume): RemoveStep {
    const before = this.#now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === now.number)!;
    return { kind: 'remove', name: nameOf(before), at: placeOf(now), loses: lossOf(now), cost: this.#cost(0, 0, 0) };
  }

  #relabel({ planned }: Kept): RelabelStep {
    const at = placeOf(planned);
    return { kind: 'relabel', name: nameOf(planned), at, label: planned.label, cost: this.#cost(0, SECTOR_WRITE, 2) };
  }

  #make(volume: LaidVolume): MakeStep {
    const facts = findKind(volume.fileSystem);
    if (!facts) throw refused(`a ${volume.fileSystem} volume can’t be made`);
    const format = volume.format ?? 'quick';
    const clusterSize = volume.clusterSize ?? facts.defaultClusterSize(volume.length, this.survey.sectorSize);
    const sizes = facts.clusterSizes(volume.length, this.survey.sectorSize);
    if (clusterSize === undefined || !sizes.includes(clusterSize)) {
      throw refused(
        `${formatSize(volume.length)} with clusters of ${formatSize(clusterSize ?? 0)} does not suit ${facts.title}`,
      );
    }
    const label = facts.normaliseLabel(volume.label);
    const tables = (volume.length / clusterSize) * 8;
    const { origin } = volume;
    const now = origin.kind === 'kept' ? this.survey.volumes.find((v) => v.number === origin.number) : undefined;
    return {
      kind: 'make',
      name: nameOf(volume),
      at: placeOf(volume),
      fileSystem: volume.fileSystem,
      label,
      clusterSize,
      serial: serialOf(volume, this.survey),
      format,
      cost: this.#cost(0, format === 'full' ? volume.length : tables, 8),
      ...(now ? { replaces: now.number, loses: lossOf(now) } : {}),
    };
  }

  #prove({ planned, now }: Kept, changes: boolean): ProveStep {
    const at = placeOf(planned);
    const cost = this.#cost(totalOf(now.allocation), 0, now.files);
    return {
      kind: 'prove',
      name: nameOf(planned),
      number: now.number,
      by: proofBy(now, changes),
      at,
      files: now.files,
      cost,
    };
  }

  #mark({ planned }: Kept): MarkStep {
    const at = placeOf(planned);
    return { kind: 'mark', name: nameOf(planned), at, cost: this.#cost(0, SECTOR_WRITE, 2) };
  }

  #table(): TableStep | undefined {
    const { survey, planned } = this;
    if (planned.table === 'none') return undefined;
    const table = tableFor(survey, planned);
    const same = planned.table === survey.table && sameTable(table, tableFor(survey, this.#now));
    if (same && !planned.mendTable) return undefined;
    const mends = survey.findings.filter((f) => f.severity !== 'info').map((f) => f.message);
    const bytes = table.kind === 'gpt' ? 2 * gptRoom(table, survey.size, survey.sectorSize).first : survey.sectorSize;
    const cost = this.#cost(0, bytes, 2);
    const volumes = planned.volumes.length;
    return { kind: 'table', name: 'the partition table', table, from: survey.table, volumes, mends, cost };
  }
}

/**
 * The work order that puts a table back as it was copied, whatever is on the disk: one step that writes the table. The
 * copy was compared and a person said yes; no volume's content is touched.
 * @throws CoreError `plan.refused`
 */
export function deriveRestore(survey: Survey, table: Exclude<DiskTable, { kind: 'none' }>): Plan {
  const volumes = table.kind === 'gpt' ? table.entries.length : table.primaries.length + table.logicals.length;
  const cost = { reads: 0, carries: 0, writes: survey.sectorSize, seconds: 1 };
  const name = 'the partition table';
  const steps: Step[] = [{ kind: 'table', name, table, from: survey.table, volumes, mends: [], cost }];
  const after = ['Look at the disk again: what the table describes is shown as it is found.'];
  const hazards = hazardsOf(survey, steps, cost);
  return { relies: factsOf(survey), lent: [], steps, total: cost, leastCarried: 0, loses: NOTHING, hazards, after };
}

const sameTable = (a: DiskTable, b: DiskTable): boolean => JSON.stringify(a) === JSON.stringify(b);

/** The first byte behind the first copy of a GUID table. */
function gptFirst(survey: Survey, planned: Layout): number {
  const entryCount = planned.tableEntries ?? USUAL_ENTRIES * USUAL_ENTRY_SIZE;
  return gptRoom({ entryCount, entrySize: 1 }, survey.size, survey.sectorSize).first;
}

/** A volume that stays as it is and has errors, or is not known, is compared as a whole. */
const proofBy = (now: SurveyedVolume, changes: boolean): ProofBy =>
  now.info && (changes || !hasErrors(now.findings)) ? 'files' : 'whole';
const placeOf = ({ start, length }: Stretch): Place => ({ disk: HERE, start, length });
const lossOf = (v: SurveyedVolume): Loss => ({ files: v.files, bytes: v.info?.used ?? v.length });

/** A serial number that is the same for the same plan of the same disk. */
function serialOf(volume: LaidVolume, survey: Survey): number {
  const text = JSON.stringify([
    survey.partitions,
    survey.size,
    volume.start,
    volume.length,
    volume.fileSystem,
    volume.label,
  ]);
  return crc32(new TextEncoder().encode(text));
}
