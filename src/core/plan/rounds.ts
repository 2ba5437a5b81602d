/**
 * Folders that go to a new volume in rounds: the one they come from gives what it can, the new one is made there, takes what
 * goes into it, moves up to the room that has become free, is made larger, and so on. Each time the table says where both
 * are, so that a cut leaves two whole volumes. Where that can't be, and another disk lends room, the new one is made and
 * filled there, and comes when the old one has given its place.
 */
import { ALIGNMENT, endOf, type LaidVolume, type Layout } from '@/core/layout';
import { CoreError } from '@/core/errors';
import { ceilTo, formatSize } from '@/core/size';
import type { Survey } from '@/core/inspect';
import { refused } from './refused';
import type { StepMakers } from './step-makers';
import type { LentRoom, Step } from './steps';
import { placeOf, type Kept } from './subjects';
import { tableFor } from './table-entries';
import type { TransferSteps } from './transfer-steps';
import type { Transferred } from './transfers';

/** What rounds are planned from. */
export interface RoundContext {
  readonly survey: Survey;
  readonly now: Layout;
  readonly planned: Layout;
  readonly kept: readonly Kept[];
  readonly transfers: TransferSteps;
  readonly make: StepMakers;
}

/** The rounds of a plan: between which volumes, and the steps. */
export interface Rounds {
  readonly source: Kept;
  readonly target: LaidVolume;
  readonly steps: readonly Step[];
}

/**
 * The steps of all rounds, from the first giving to where both volumes are as planned; nothing where there are none.
 * @throws CoreError `plan.refused`, `plan.stuck` where no rounds would do, or volumes change their places, or are copied, beside
 */
export function planRounds(context: RoundContext): Rounds | undefined {
  const { planned, kept, transfers } = context;
  const all = transfers.inRounds;
  const [first] = all;
  if (!first) return undefined;
  assertRounds(all);
  const source = kept.find((k) => k.now.number === first.measure)!;
  const { target } = first;
  // What only gets smaller, is made anew, or gets room behind it, does so before all rounds or after the last.
  const still = kept.every((k) => k === source || k.planned.start === k.now.start);
  const made = planned.volumes.every((v) => v.origin.kind === 'new' || kept.some((k) => k.planned.id === v.id));
  if (!still || !made || planned.table !== context.now.table) throw refused('rounds.alone', {});
  return { source, target, steps: new RoundSteps(context, source, target).steps(all) };
}

/** @throws CoreError `plan.stuck` where room on another disk would do, else `plan.refused` */
function assertRounds(all: readonly Transferred[]): void {
  const [round] = all.flatMap(({ round }) => (round && 'fault' in round ? [round] : []));
  if (!round) return;
  const { fault, needed } = round;
  if (needed === undefined) throw refused('rounds.fault', { fault });
  const room = `${formatSize(needed)} unallocated in one piece on another disk would do`;
  throw new CoreError('plan.stuck', { reason: `The plan can’t be carried out: ${fault}. ${room}.`, needed });
}

/** Where a new volume begins at the earliest, in bytes, behind one that ends there. */
export function startBehind(end: number, { logical }: Pick<LaidVolume, 'logical'>): number {
  // The boot record of a logical volume has its place before it.
  return ceilTo(end + (logical ? ALIGNMENT : 0), ALIGNMENT);
}

class RoundSteps {
  readonly #steps: Step[] = [];
  /** How long the one is by now, and where the other begins. */
  #length: number;
  #start: number | undefined;
  /** Bytes that have come to the new volume. */
  #held = 0;

  constructor(
    private readonly context: RoundContext,
    private readonly source: Kept,
    private readonly target: LaidVolume,
  ) {
    this.#length = source.now.length;
  }

  steps(all: readonly Transferred[]): Step[] {
    const { transfers } = this.context;
    const { start } = this.source.now;
    const away = awayOf(all[0]!);
    if (away) return this.#byAnother(all, away);
    const last = Math.max(...all.map((t) => indexOf(t)));
    for (let index = 0; index <= last; index++) {
      const now = all.filter((t) => indexOf(t) === index);
      this.#giveTo(lengthOf(now[0]!), now[0]!.number);
      this.#steps.push(...transfers.moved(now, placeOf({ start, length: this.#length }), this.#targetPlace()));
      this.#held += now.reduce((sum, t) => sum + t.facts.needs, 0);
    }
    this.#giveTo(this.source.planned.length, all[0]!.number);
    return this.#steps;
  }

  /** The new volume is made and filled where room is lent, and comes when what it holds has left the old one. */
  #byAnother(all: readonly Transferred[], away: LentRoom): Step[] {
    const { context, source, target } = this;
    const { make, transfers } = context;
    const { name: other, ...lent } = away;
    const clusterSize = make.clusterSizeOf(target);
    const to = placeOf({ start: target.start, length: away.length });
    const held = all.reduce((sum, t) => sum + t.facts.needs, 0);
    this.#length = source.planned.length;
    this.#start = target.start;
    const carried = make.carryMade(target, all[0]!.number, lent, to, held, this.#table());
    this.#steps.push(
      make.makeElsewhere({ ...target, length: away.length, clusterSize }, away),
      ...transfers.moved(all, placeOf(source.now), lent),
      make.shrinkInRound(source, source.now.length, this.#length, held),
      { ...carried, other },
      ...transfers.comparedAgain(all, to),
      make.emptied(target, away),
    );
    if (away.length < target.length) this.#steps.push(make.grow(target, away.length));
    return this.#steps;
  }

  /** The one gives what it can, and the other is made there, or moved up and made larger. */
  #giveTo(length: number, number: number): void {
    const { make } = this.context;
    if (length < this.#length) {
      this.#steps.push(make.shrinkInRound(this.source, this.#length, length, this.#held));
      this.#length = length;
    }
    const from = this.#start;
    const next = startBehind(this.source.now.start + length, this.target);
    const wanted = length === this.source.planned.length ? this.target.start : next;
    if (from === wanted) return;
    this.#start = wanted;
    const at = this.#targetPlace();
    if (from === undefined) {
      this.#steps.push(make.table(this.#table(), this.#volumes()));
      this.#steps.push(make.make({ ...this.target, ...at, clusterSize: make.clusterSizeOf(this.target) }));
      return;
    }
    const old = placeOf({ start: from, length: endOf(this.target) - from });
    const moved = { ...at, length: old.length };
    this.#steps.push(make.carryMade(this.target, number, old, moved, this.#held, this.#table()));
    this.#steps.push(make.grow({ ...this.target, ...at }, old.length));
  }

  #targetPlace() {
    const start = this.#start!;
    return placeOf({ start, length: endOf(this.target) - start });
  }

  #volumes(): LaidVolume[] {
    const { now, planned } = this.context;
    const { start, length } = this.#targetPlace();
    const { id } = this.source.planned;
    // Those that go have gone by now.
    const stays = now.volumes.filter((v) => planned.volumes.some((p) => p.id === v.id));
    const source = stays.map((v) => (v.id === id ? { ...v, length: this.#length } : v));
    return [...source, { ...this.target, start, length }].sort((a, b) => a.start - b.start);
  }

  #table() {
    const { survey, now } = this.context;
    const table = tableFor(survey, { ...now, volumes: this.#volumes() });
    if (table.kind === 'none') throw refused('table.holds-one', {});
    return table;
  }
}

const indexOf = ({ round }: Transferred): number => (round && 'index' in round ? round.index : 0);
const awayOf = ({ round }: Transferred): LentRoom | undefined => (round && 'index' in round ? round.away : undefined);
const lengthOf = ({ round, place }: Transferred): number => (round && 'length' in round ? round.length : place.length);
