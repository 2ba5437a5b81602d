/**
 * From (now, planned) to the work order: what must be done, in an order in which no step needs room that another has
 * not freed yet. Shrinks come first, then the table in one write, then what needs the freed room, then the proof.
 */
import { bytesBeyond, totalOf } from '@/core/fs';
import { factsOf, layoutOf, type Survey } from '@/core/inspect';
import { isMade, nameOf, type LaidVolume, type Layout, type VolumeId } from '@/core/layout';
import { HERE } from '@/core/place';
import type { DiskTable } from '@/core/table';
import { afterOf } from './after';
import { assertFeasible } from './feasible';
import { hazardsOf, restartOf, type Failing } from './hazards';
import { speedOf, type MediumKind, type MediumSpeed } from './medium';
import type { LentRoom, Plan, PlanSource } from './plan';
import { planMoves } from './plan-moves';
import { refused } from './refused';
import type { Scratch } from './scratch';
import { StepMakers } from './step-makers';
import {
  stepReads,
  type CarryStep,
  type Loss,
  type ProveStep,
  type Receives,
  type Step,
  type StepCost,
  type TableStep,
} from './steps';
import { copiedOf, keptOf, type Copied, type Kept, type SourceDisk } from './subjects';
import { tableFor } from './table-entries';
import { transferredIn, type PlannedTransfer, type Transferred, type TransferTime } from './transfers';
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
  /** Other disks, whose volumes may be copied, and from which files may be taken. */
  readonly disks?: readonly SourceDisk[];
  readonly transfers?: readonly PlannedTransfer[];
}

const NOTHING: Loss = { files: 0, bytes: 0 };

/**
 * Derives the work order.
 * @throws CoreError `plan.refused` with the reason when the planned layout can't be reached
 */
export function derivePlan(survey: Survey, planned: Layout, options: PlanOptions = {}): Plan {
  const context = new Derivation(survey, planned, options);
  const steps = context.steps();
  const total = sumCosts(steps);
  // A copy is no system that runs.
  const running = planned.volumes.filter((v) => v.role === 'system' && v.origin.kind === 'kept');
  const systems = new Set(running.map((v) => nameOf(v)));
  const restart = restartOf(steps, systems);
  const plan: Plan = {
    relies: factsOf(survey),
    sources: sourcesFor(steps, options.disks ?? []),
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

/** The disks that something is copied from, as they were looked at. */
function sourcesFor(steps: readonly Step[], disks: readonly SourceDisk[]): PlanSource[] {
  const read = new Set(steps.flatMap(stepReads));
  return disks
    .filter(({ disk }) => read.has(disk))
    .map(({ disk, name, survey }) => ({ disk, name, relies: factsOf(survey) }));
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
  readonly #copied: Copied[];
  readonly #transferred: Transferred[];
  readonly #now: Layout;
  readonly #make: StepMakers;

  constructor(
    private readonly survey: Survey,
    private readonly planned: Layout,
    private readonly options: PlanOptions,
  ) {
    this.#now = layoutOf(survey);
    this.#kept = keptOf(survey, planned);
    this.#copied = copiedOf(survey, planned, this.#kept, options.disks ?? []);
    this.#transferred = transferredIn(options.transfers ?? [], {
      survey,
      now: this.#now,
      planned,
      kept: this.#kept,
      copied: this.#copied,
      disks: options.disks ?? [],
      override: options.override ?? false,
    });
    this.#make = new StepMakers(survey, options.speed ?? speedOf(options.medium ?? 'ssd'));
  }

  steps(): Step[] {
    const { survey, planned } = this;
    const [kept, copied, make] = [this.#kept, this.#copied, this.#make];
    assertFeasible({ survey, planned, kept, copied, override: this.options.override ?? false });
    const going = new Set(this.#standing().map((v) => v.number));
    const proven = kept.filter((k) => !k.planned.format);
    const moves = this.#moves();
    const onTheWay = new Set(
      moves.flatMap((m) => (m.kind === 'carry' && m.to.length < m.from.length ? [m.number] : [])),
    );
    const moving = new Set(moves.flatMap((m) => (m.kind === 'carry' ? [m.number] : [])));
    const shrinks = proven.filter((k) => k.planned.length < k.before.length && !onTheWay.has(k.now.number));
    const over = new Set(this.#transferred.flatMap((t) => (t.adopts ? [t.to] : [])));
    const grows = proven.filter((k) => k.planned.length > k.before.length && !over.has(k.planned.id));
    const relabels = proven.filter((k) => k.planned.label !== k.before.label);
    const movers = proven.filter((k) => moving.has(k.now.number));
    const filled = proven.filter((k) => this.#transferred.some((t) => t.to === k.planned.id || this.#isEmptied(t, k)));
    const changed = new Set([...shrinks, ...movers, ...grows, ...relabels, ...filled]);
    const makes = planned.volumes.filter(isMade);
    const table = this.#table();
    if (!table && changed.size === 0 && makes.length === 0 && copied.length === 0) return [];
    // What is made for files of a volume that goes is there before the table is written, and filled.
    const early = new Set(this.#transferred.flatMap((t) => (t.when === 'before the table' ? [t.to] : [])));
    const removed = this.#removed();
    const copies = copied.map((c) => make.copy(c));
    return [
      ...proven.map((k) => make.check(k, changed.has(k))),
      ...this.#originals().map((c) => make.checkOriginal(c)),
      ...this.#measured().map((t) => make.checkSource(t)),
      ...this.#transfers('first'),
      ...removed.filter((r) => !going.has(r.now.number)).map((r) => make.remove(r.before, r.now, this.#isTaken(r.now))),
      ...shrinks.map((k) => make.shrink(k)),
      ...moves,
      ...copied.flatMap((c, i) => [copies[i]!, ...make.identify(c)]),
      ...makes.filter((v) => early.has(v.id)).map((v) => make.make(v)),
      ...this.#transfers('before the table'),
      ...removed.filter((r) => going.has(r.now.number)).map((r) => make.remove(r.before, r.now, this.#isTaken(r.now))),
      ...(table ? [table] : []),
      ...makes.filter((v) => !early.has(v.id)).map((v) => make.make(v)),
      ...grows.map((k) => make.grow(k.planned, k.before.length)),
      ...copied.flatMap((c, i) => this.#grown(c, copies[i]!).map((from) => make.grow(c.planned, from))),
      ...relabels.map((k) => make.relabel(k.planned)),
      ...copied.filter((c) => c.planned.label !== (c.original.info?.label ?? '')).map((c) => make.relabel(c.planned)),
      ...this.#transfers('last'),
      ...proven.map((k) => ({ ...make.prove(k, changed.has(k)), ...this.#ledger(k.planned, k.now.number) })),
      ...copied.map((c) => ({ ...make.proveCopy(c), ...this.#ledger(c.planned, c.number) })),
      ...this.#proveMade(),
      ...(this.options.checkAtNextStart
        ? [...changed].filter((k) => k.now.abilities.mark).map((k) => make.mark(k))
        : []),
    ];
  }

  /** Volumes that go, and stay where they are until what is wanted of them has been taken. */
  #standing() {
    const copies = this.#copied.flatMap((c) => (c.here === 'going' ? [c.original] : []));
    const taken = this.#transferred.flatMap((t) => (t.when === 'before the table' ? [t.source] : []));
    return [...new Set([...copies, ...taken])];
  }

  /** Whether everything on a volume that goes is taken to another one before. */
  #isTaken({ number }: Survey['volumes'][number]): boolean {
    return this.#transferred.some((t) => t.here === 'going' && t.measure === number && t.folder === '');
  }

  #isEmptied({ here, measure, then }: Transferred, { now }: Kept): boolean {
    return here === 'kept' && then === 'remove' && measure === now.number;
  }

  /** Sources that nothing else reads as a measure, each once. */
  #measured(): Transferred[] {
    const read = new Set(this.#originals().flatMap((c) => (c.here === 'going' ? [c.original.number] : [])));
    return this.#transferred.filter((t, i) => {
      if (t.here === 'kept' || read.has(t.measure)) return false;
      return this.#transferred.findIndex((u) => u.measure === t.measure) === i;
    });
  }

  /** The steps of the transfers of a time: all are taken and compared before anything is taken away. */
  #transfers(when: TransferTime): Step[] {
    const now = this.#transferred.filter((t) => t.when === when);
    const goes = (t: Transferred): boolean => !t.adopts && (t.then === 'remove' || t.here === 'going');
    return [
      ...now.map((t) => (t.adopts ? this.#make.adopt(t) : this.#make.transfer(t))),
      ...now.filter(goes).map((t) => this.#make.compare(t, this.#receivedBy(t.to, when))),
      ...now.filter((t) => t.then === 'remove' && t.here === 'kept').map((t) => this.#make.clear(t)),
    ];
  }

  /** What has come to a volume by the end of a time, in the order in which it came. */
  #receivedBy(id: VolumeId, when: TransferTime): Receives[] {
    const times: readonly TransferTime[] = ['first', 'before the table', 'last'];
    const past = times.slice(0, times.indexOf(when) + 1);
    return past.flatMap((time) =>
      this.#transferred
        .filter((t) => t.to === id && t.when === time)
        .map(({ measure, folder, under, adopts }) => ({
          measure,
          folder,
          under,
          ...(adopts ? { adopted: true as const } : {}),
        })),
    );
  }

  /** What comes to a volume and goes from it in the run, for its proof. */
  #ledger(planned: LaidVolume, number: number): Pick<ProveStep, 'receives' | 'gives' | 'fileSystem'> {
    const receives = this.#receivedBy(planned.id, 'last');
    const gives = this.#transferred.flatMap((t) =>
      t.here === 'kept' && t.then === 'remove' && t.measure === number
        ? [{ folder: t.folder, ...(t.link ? { link: t.link } : {}) }]
        : [],
    );
    if (receives.length === 0 && gives.length === 0) return {};
    return { receives, gives, fileSystem: planned.fileSystem };
  }

  /** New volumes that files came to. */
  #proveMade(): ProveStep[] {
    const seen = new Set<VolumeId>();
    return this.#transferred.flatMap((t) => {
      if (!isMade(t.target) || seen.has(t.to)) return [];
      seen.add(t.to);
      return [{ ...this.#make.proveMade(t), ...this.#ledger(t.target, t.number) }];
    });
  }

  /** What a copy has to grow from, where it does. */
  #grown({ planned }: Copied, { to }: CarryStep): number[] {
    return planned.length > to.length ? [to.length] : [];
  }

  /** Originals that nothing else reads as a measure, each once where several copies of it are on this disk. */
  #originals(): Copied[] {
    return this.#copied.filter(({ here, original }, i) => {
      if (here !== 'going') return here === undefined;
      return this.#copied.findIndex((c) => c.here === here && c.original.number === original.number) === i;
    });
  }

  /** Volumes that go; one whose files are taken over goes with that. */
  #removed() {
    const kept = new Set(this.#kept.map((k) => k.now.number));
    const adopted = new Set(this.#transferred.flatMap((t) => (t.adopts ? [t.measure] : [])));
    return this.survey.volumes.flatMap((now, i) =>
      kept.has(now.number) || adopted.has(now.number) ? [] : [{ now, before: this.#now.volumes[i]! }],
    );
  }

  #moves() {
    const { survey, planned } = this;
    const standing = this.#standing();
    const meets = standing.flatMap((original) => {
      const hit = planned.volumes.find(
        (v) => v.start < original.start + original.length && original.start < v.start + v.length,
      );
      return hit ? [{ original, hit }] : [];
    })[0];
    if (meets)
      throw refused(
        `${this.#nameOf(meets.original)} is where ${nameOf(meets.hit)} is to be, and is needed until what is on it has been taken. Keep it in this plan, and take it away in the next`,
      );
    return planMoves({
      survey,
      now: this.#now,
      planned,
      kept: this.#kept,
      standing,
      scratch: this.options.scratch ?? [],
      cost: (reads, writes, seeks, carries) => this.#make.cost(reads, writes, seeks, carries),
    });
  }

  #nameOf({ number }: Survey['volumes'][number]): string {
    return nameOf(this.#now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number)!);
  }

  leastCarried(): number {
    const taken = this.#transferred.reduce((sum, t) => sum + (t.adopts ? 0 : t.facts.bytes), 0);
    const copied = this.#copied.reduce((sum, c) => sum + this.#make.copy(c).cost.carries, taken);
    return this.#kept.reduce((sum, { planned, now }) => {
      if (planned.format) return sum;
      if (planned.start !== now.start) return sum + (now.info ? totalOf(now.allocation) : now.length);
      return sum + (planned.length < now.length ? bytesBeyond(now.allocation, planned.length) : 0);
    }, copied);
  }

  #table(): TableStep | undefined {
    const { survey, planned } = this;
    if (planned.table === 'none') return undefined;
    const table = tableFor(survey, planned);
    if (table.kind === 'none') return undefined;
    const same = planned.table === survey.table && sameTable(table, tableFor(survey, this.#now));
    return same && !planned.mendTable ? undefined : this.#make.table(table, planned.volumes);
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
  return {
    relies: factsOf(survey),
    sources: [],
    lent: [],
    steps,
    total: cost,
    leastCarried: 0,
    loses: NOTHING,
    hazards,
    after,
  };
}

const sameTable = (a: DiskTable, b: DiskTable): boolean => JSON.stringify(a) === JSON.stringify(b);
