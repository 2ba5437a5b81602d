/**
 * From (now, planned) to the work order: what must be done, in an order in which no step needs room that another has
 * not freed yet. Shrinks come first, then the table in one write, then what needs the freed room, then the proof.
 */
import { bytesBeyond, totalOf } from '@/core/fs';
import { factsOf, layoutOf, type Survey, type SurveyedVolume } from '@/core/inspect';
import { isMade, nameOf, type Layout } from '@/core/layout';
import type { DiskTable } from '@/core/table';
import { afterOf } from './after';
import { FailingPlaces } from './failing';
import { assertFeasible } from './feasible';
import { hazardsOf, restartOf } from './hazards';
import { speedOf } from './medium';
import type { PlanOptions } from './options';
import type { Plan } from './plan';
import { planMoves } from './plan-moves';
import { refused } from './refused';
import { planRounds } from './rounds';
import { StepMakers } from './step-makers';
import type { CarryStep, Step, TableStep } from './steps';
import { copiedOf, keptOf, type Copied, type Kept } from './subjects';
import { tableFor } from './table-entries';
import { lentFor, sourcesFor, sumCosts, sumLosses } from './totals';
import { TransferSteps } from './transfer-steps';
import { transferredIn } from './transfers';
import { verifyPlan } from './verify';
import { wipeSteps } from './wipe-steps';

type Wipes = ReturnType<typeof wipeSteps>;

/**
 * Derives the work order.
 * @throws CoreError `plan.refused` with the reason when the planned layout can't be reached
 */
export function derivePlan(survey: Survey, planned: Layout, options: PlanOptions = {}): Plan {
  const context = new Derivation(survey, planned, options);
  const steps = context.steps();
  context.assertWritable(steps);
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
    loses: sumLosses(steps),
    hazards: hazardsOf(survey, steps, total, options),
    after: afterOf(survey, planned),
  };
  verifyPlan(planned, plan);
  return plan;
}

class Derivation {
  readonly #kept: Kept[];
  readonly #copied: Copied[];
  readonly #transfers: TransferSteps;
  readonly #failing: FailingPlaces;
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
    this.#make = new StepMakers(survey, options.speed ?? speedOf(options.medium ?? 'ssd'));
    const transferred = transferredIn(options.transfers ?? [], {
      survey,
      now: this.#now,
      planned,
      kept: this.#kept,
      copied: this.#copied,
      disks: options.disks ?? [],
      override: options.override ?? false,
    });
    this.#transfers = new TransferSteps(transferred, this.#make);
    this.#failing = new FailingPlaces(options, this.#make);
  }

  steps(): Step[] {
    const { survey, planned } = this;
    const [kept, copied, make, transfers] = [this.#kept, this.#copied, this.#make, this.#transfers];
    const giving = new Set(transfers.inRounds.map((t) => t.measure));
    assertFeasible({ survey, planned, kept, copied, override: this.options.override ?? false, giving });
    const rounds = planRounds({ survey, now: this.#now, planned, kept, transfers, make });
    const going = new Set(this.#standing().map((v) => v.number));
    const { steps: carries, lengths, forWantOf } = this.#moves();
    const meanwhile = (k: Kept): number => lengths.get(k.now.number)!;
    const wipes = wipeSteps(survey, planned, kept, make, this.options.override ?? false);
    const wiped = new Set(wipes.free.map((w) => w.number));
    const { proven, shrinks, grows, relabels, mended, changed } = this.#changes(
      carries,
      meanwhile,
      wiped,
      rounds?.source,
    );
    const makes = planned.volumes.filter((v) => isMade(v) && v.id !== rounds?.target.id);
    const table = this.#table();
    if (!table && changed.size === 0 && makes.length + copied.length + mended.length + wipes.count === 0) return [];
    const early = transfers.madeEarly;
    const originals = this.#originals();
    const made = (v: Layout['volumes'][number]): Step[] => [
      transfers.spared(make.make(v), v),
      ...this.#failing.late(v),
    ];
    const copies = copied.map((c) => make.copy(c));
    return [
      ...mended.map((k) => make.mend(k)),
      ...proven.map((k) => make.check(k, changed.has(k))),
      ...originals.map((c) => make.checkOriginal(c)),
      ...transfers.measures(new Set(originals.flatMap((c) => (c.here ? [c.original.number] : [])))),
      ...[...changed].filter((k) => k.now.info?.unsettled).map((k) => make.settle(k)),
      ...transfers.settles(),
      ...this.#failing.early(proven),
      ...this.#failing.ahead(proven, carries),
      ...transfers.at('first'),
      ...this.#removes(wipes, (r) => !going.has(r.now.number)),
      ...shrinks.map((k) => make.shrink(k, meanwhile(k), meanwhile(k) < k.planned.length ? forWantOf : undefined)),
      ...carries,
      ...copied.flatMap((c, i) => [copies[i]!, ...make.identify(c)]),
      ...(rounds?.steps ?? []),
      ...makes.filter((v) => early.has(v.id)).flatMap(made),
      ...transfers.at('before the table'),
      ...this.#removes(wipes, (r) => going.has(r.now.number)),
      ...wipes.disk,
      ...(table ? [table] : []),
      ...makes.filter((v) => !early.has(v.id)).flatMap(made),
      ...grows.map((k) => make.grow(k.planned, meanwhile(k))),
      ...copied.flatMap((c, i) => this.#grown(c, copies[i]!).map((from) => make.grow(c.planned, from))),
      ...this.#failing.gained(proven, [...copied.map((c) => c.planned), ...(rounds ? [rounds.target] : [])], carries),
      ...relabels.map((k) => make.relabel(k.planned)),
      ...copied.filter((c) => c.planned.label !== (c.original.info?.label ?? '')).map((c) => make.relabel(c.planned)),
      ...transfers.at('last'),
      ...wipes.unallocated,
      ...wipes.free,
      ...this.#proofs(proven, changed),
    ];
  }

  /** @throws CoreError `plan.refused` */
  assertWritable(steps: readonly Step[]): void {
    this.#failing.assertNoneWritten(steps, this.#kept, this.#copied);
  }

  /** Everything that was kept, copied, made and read, as it is in the end. */
  #proofs(proven: readonly Kept[], changed: ReadonlySet<Kept>): Step[] {
    const [make, transfers] = [this.#make, this.#transfers];
    const marked = this.options.checkAtNextStart ? [...changed].filter((k) => k.now.abilities.mark) : [];
    return [
      ...proven.map((k) => transfers.accounted(make.prove(k, changed.has(k)), k.planned)),
      ...this.#copied.map((c) => transfers.accounted(make.proveCopy(c), c.planned)),
      ...transfers.proveMade(),
      ...transfers.proveSources(),
      ...marked.map((k) => make.mark(k)),
    ];
  }

  /** What becomes of kept volumes, by what is done to each. `meanwhile` is how long one is while others are carried. */
  #changes(
    carries: readonly Step[],
    meanwhile: (k: Kept) => number,
    wiped: ReadonlySet<number | undefined>,
    inRounds: Kept | undefined,
  ) {
    const transfers = this.#transfers;
    const proven = this.#kept.filter((k) => !k.planned.format);
    const carried = carries.flatMap((m) => (m.kind === 'carry' ? [m] : []));
    const moving = new Set(carried.map((m) => m.number));
    const onTheWay = new Set(carried.filter((m) => m.to.length < m.from.length).map((m) => m.number));
    const shrinks = proven.filter(
      (k) => meanwhile(k) < k.before.length && !onTheWay.has(k.now.number) && k !== inRounds,
    );
    const grows = proven.filter((k) => k.planned.length > meanwhile(k) && !transfers.growing.has(k.planned.id));
    const relabels = proven.filter((k) => k.planned.label !== k.before.label);
    const changed = new Set([
      ...shrinks,
      ...proven.filter((k) => moving.has(k.now.number)),
      ...grows,
      ...relabels,
      ...proven.filter((k) => transfers.changes(k)),
      ...proven.filter((k) => wiped.has(k.now.number)),
      ...proven.filter((k) => this.#failing.change(k, carries)),
    ]);
    return { proven, shrinks, grows, relabels, mended: proven.filter((k) => k.mending), changed };
  }

  /** Volumes that go, and stay where they are until what is wanted of them has been taken. */
  #standing() {
    const copies = this.#copied.flatMap((c) => (c.here === 'going' ? [c.original] : []));
    return [...new Set([...copies, ...this.#transfers.standing])];
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

  /** Volumes of some sort go, with what of them is wiped. */
  #removes({ removed }: Wipes, which: (volume: { readonly now: SurveyedVolume }) => boolean): Step[] {
    return this.#removed()
      .filter(which)
      .flatMap(({ before, now }) => [
        this.#make.remove(before, now, this.#transfers.lossOf(now)),
        ...removed.filter((w) => w.number === now.number).map((w) => w.step),
      ]);
  }

  /** Volumes that go; one whose files are taken over goes with that. */
  #removed() {
    const kept = new Set(this.#kept.map((k) => k.now.number));
    const { adopted } = this.#transfers;
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
    if (meets) throw refused('place.needed', { volume: this.#nameOf(meets.original), by: nameOf(meets.hit) });
    return planMoves({
      survey,
      now: this.#now,
      planned,
      kept: this.#kept,
      standing,
      scratch: this.options.scratch ?? [],
      needed: this.#needed(),
      cost: (reads, writes, seeks, carries) => this.#make.cost(reads, writes, seeks, carries),
    });
  }

  /** Volumes that copies are made of, or that transfers fill or empty. */
  #needed(): Set<number> {
    const copied = this.#copied.flatMap((c) => (c.here ? [c.original.number] : []));
    const filled = this.#kept.filter((k) => this.#transfers.changes(k)).map((k) => k.now.number);
    return new Set([...copied, ...filled, ...this.#transfers.read]);
  }

  #nameOf({ number }: Survey['volumes'][number]): string {
    return nameOf(this.#now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number)!);
  }

  leastCarried(): number {
    const { leastCarried } = this.#transfers;
    const copied = this.#copied.reduce((sum, c) => sum + this.#make.copy(c).cost.carries, leastCarried);
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
    const wiped = planned.wipes?.some((w) => w.what === 'disk');
    const same = !wiped && planned.table === survey.table && sameTable(table, tableFor(survey, this.#now));
    return same && !planned.mendTable ? undefined : this.#make.table(table, planned.volumes);
  }
}

const sameTable = (a: DiskTable, b: DiskTable): boolean => JSON.stringify(a) === JSON.stringify(b);
