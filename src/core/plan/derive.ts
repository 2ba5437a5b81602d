/**
 * From (now, planned) to the work order: what must be done, in an order in which no step needs room that another has
 * not freed yet. Shrinks come first, then the table in one write, then what needs the freed room, then the proof.
 */
import { crc32 } from '@/core/bytes';
import { CoreError, hasErrors } from '@/core/errors';
import { bytesBeyond, findKind, totalOf } from '@/core/fs';
import { layoutOf, type Survey, type SurveyedVolume } from '@/core/inspect';
import { endOf, lastUsable, nameOf, type LaidVolume, type Layout } from '@/core/layout';
import { formatSize } from '@/core/size';
import { hazardsOf, afterOf } from './hazards';
import { secondsFor, speedOf, type MediumKind } from './medium';
import type {
  CheckStep,
  GrowStep,
  Loss,
  MakeStep,
  Plan,
  ProofBy,
  ProveStep,
  RelabelStep,
  RemoveStep,
  ShrinkStep,
  Step,
  StepCost,
  TableStep,
} from './steps';
import { tableEntries } from './table-entries';
import { verifyPlan } from './verify';

/** What the plan is derived from beside the two layouts. */
export interface PlanOptions {
  readonly medium?: MediumKind;
  /** Goes on with volumes whose check found errors that do not make the change itself unsafe. */
  readonly override?: boolean;
}

/** A kept volume with how it is now. */
interface Kept {
  readonly planned: LaidVolume;
  readonly now: SurveyedVolume;
  readonly before: LaidVolume;
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
  const plan: Plan = {
    steps,
    total: sumCosts(steps),
    loses: steps.reduce((sum, s) => ('loses' in s && s.loses ? addLoss(sum, s.loses) : sum), NOTHING),
    hazards: hazardsOf(survey, steps),
    after: afterOf(survey, planned),
  };
  verifyPlan(survey, planned, plan);
  return plan;
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
    const shrinks = this.#kept.filter((k) => !k.planned.format && k.planned.length < k.before.length);
    const grows = this.#kept.filter((k) => !k.planned.format && k.planned.length > k.before.length);
    const relabels = this.#kept.filter((k) => !k.planned.format && k.planned.label !== k.before.label);
    const changed = new Set([...shrinks, ...grows, ...relabels]);
    const makes = this.planned.volumes.filter((v) => v.origin.kind === 'new' || v.format);
    const table = this.#table();
    if (!table && changed.size === 0 && makes.length === 0) return [];
    const proven = this.#kept.filter((k) => !k.planned.format);
    return [
      ...proven.map((k) => this.#check(k, changed.has(k))),
      ...removed.map((v) => this.#remove(v)),
      ...shrinks.map((k) => this.#shrink(k)),
      ...(table ? [table] : []),
      ...makes.map((v) => this.#make(v)),
      ...grows.map((k) => this.#grow(k)),
      ...relabels.map((k) => this.#relabel(k)),
      ...proven.map((k) => this.#prove(k, changed.has(k))),
    ];
  }

  #assertLayout(): void {
    const { survey, planned } = this;
    const error = survey.findings.find((f) => f.severity === 'error');
    if (error) throw refused(`the table is damaged: ${error.message}`);
    if (planned.table !== survey.table) throw refused('the kind of table can’t be changed here yet');
    if (planned.table === 'gpt') throw new CoreError('table.unsupported', { table: 'GPT' });
    let at = 0;
    for (const volume of planned.volumes) {
      if (volume.start < at) throw refused(`${nameOf(volume)} overlaps the volume before it`);
      if (volume.start % survey.sectorSize || volume.length % survey.sectorSize)
        throw refused(`${nameOf(volume)} does not begin and end between sectors`);
      at = endOf(volume);
    }
    if (at > lastUsable(planned))
      throw refused(`the volumes end ${formatSize(at - lastUsable(planned))} past the end of the disk`);
    for (const kept of this.#kept) this.#assertKept(kept);
  }

  #assertKept({ planned, now, before }: Kept): void {
    const name = nameOf(planned);
    if (planned.start !== now.start) throw refused(`${name} would have to be moved, which can’t be done yet`);
    if (planned.format) return;
    if (planned.fileSystem !== before.fileSystem)
      throw refused(`${name} can’t change its file system and keep its files`);
    const title = now.info?.title ?? 'unknown';
    if (planned.label !== before.label && !now.abilities.relabel)
      throw new CoreError('fs.ability', { fileSystem: title, ability: 'change its label' });
    if (planned.length === before.length) return;
    const shrinks = planned.length < before.length;
    const ability = shrinks ? 'shrink' : 'grow';
    if (!now.abilities[ability] || !now.limits) throw new CoreError('fs.ability', { fileSystem: title, ability });
    const error = this.options.override ? undefined : now.findings.find((f) => f.severity === 'error');
    if (error)
      throw new CoreError('fs.unsound', { fileSystem: title, findings: now.findings.length, first: error.message });
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

  #cost(reads: number, writes: number, seeks: number, carries = 0): StepCost {
    return { reads, writes, carries, seconds: secondsFor(speedOf(this.options.medium ?? 'ssd'), reads, writes, seeks) };
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
      at: stretch(now),
      files: now.files,
      cost,
    };
  }

  #shrink({ planned, now }: Kept): ShrinkStep {
    const carries = bytesBeyond(now.allocation, planned.length);
    const structures = Math.min(now.length, SECTOR_WRITE + carries / 1000);
    const cost = this.#cost(carries, carries + structures, 4 + carries / (1 << 20), carries);
    return { kind: 'shrink', name: nameOf(planned), at: stretch(now), to: planned.length, cost };
  }

  #grow({ planned, before }: Kept): GrowStep {
    const at = { start: planned.start, length: planned.length };
    return { kind: 'grow', name: nameOf(planned), at, from: before.length, cost: this.#cost(0, SECTOR_WRITE, 4) };
  }

  #remove(now: SurveyedVolume): RemoveStep {
    const before = this.#now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === now.number)!;
    return { kind: 'remove', name: nameOf(before), at: stretch(now), loses: lossOf(now), cost: this.#cost(0, 0, 0) };
  }

  #relabel({ planned }: Kept): RelabelStep {
    const at = { start: planned.start, length: planned.length };
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
      at: { start: volume.start, length: volume.length },
      fileSystem: volume.fileSystem,
      label,
      clusterSize,
      serial: serialOf(volume, this.survey),
      format,
      cost: this.#cost(0, format === 'full' ? volume.length : tables, 8),
      ...(now ? { loses: lossOf(now) } : {}),
    };
  }

  #prove({ planned, now }: Kept, changes: boolean): ProveStep {
    const at = { start: planned.start, length: planned.length };
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

  #table(): TableStep | undefined {
    if (this.survey.table !== 'mbr') return undefined;
    const entries = tableEntries(this.survey, this.planned);
    if (JSON.stringify(entries) === JSON.stringify(bySlot(this.survey.entries))) return undefined;
    const cost = this.#cost(0, this.survey.sectorSize, 1);
    return { kind: 'table', name: 'the partition table', entries, sectorSize: this.survey.sectorSize, cost };
  }
}

/** A volume that stays as it is and has errors, or is not known, is compared as a whole. */
const proofBy = (now: SurveyedVolume, changes: boolean): ProofBy =>
  now.info && (changes || !hasErrors(now.findings)) ? 'files' : 'whole';
const bySlot = (entries: Survey['entries']): Survey['entries'] => [...entries].sort((a, b) => a.slot - b.slot);
const stretch = (v: SurveyedVolume): { start: number; length: number } => ({ start: v.start, length: v.length });
const lossOf = (v: SurveyedVolume): Loss => ({ files: v.files, bytes: v.info?.used ?? v.length });
const refused = (reason: string): CoreError =>
  new CoreError('plan.refused', { reason: `The plan can’t be carried out: ${reason}.` });

/** A serial number that is the same for the same plan of the same disk. */
function serialOf(volume: LaidVolume, survey: Survey): number {
  const text = JSON.stringify([
    survey.diskSignature,
    survey.size,
    volume.start,
    volume.length,
    volume.fileSystem,
    volume.label,
  ]);
  return crc32(new TextEncoder().encode(text));
}
