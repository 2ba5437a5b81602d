/**
 * What a plan does about stretches that fail: volumes take them out of use where a person wishes that, as soon as they have
 * them. What is in use is not carried onto what can't be written: a volume that moves clears the places of it that would
 * come to lie there before it goes.
 */
import { firstAfter } from '@/core/bytes';
import { hasErrors } from '@/core/errors';
import { abilitiesOf, bytesBeyond, joinRanges, overlapsAny, totalOf, type ByteRange } from '@/core/fs';
import type { SurveyedVolume } from '@/core/inspect';
import { nameOf, type LaidVolume } from '@/core/layout';
import { isHere } from '@/core/place';
import type { PlanOptions } from './options';
import { refused, unsound } from './refused';
import type { StepMakers } from './step-makers';
import type { CarryStep, Step } from './steps';
import { placeOf, type Copied, type Kept } from './subjects';

/** Room that a volume needs for one place, beside the place itself: the clusters it begins and ends in. */
const EDGES = 2;
/** What a further cluster takes of all allocation tables, at most: two with entries of four bytes. */
const TABLE_BYTES = 8;
/** What a kind may have at the very end of a volume, wherever that is: a copy of its boot sector. Bytes, at most. */
const LAST = 4096;

const none: readonly ByteRange[] = [];

export class FailingPlaces {
  readonly #unwritable: readonly ByteRange[];
  /** Those that a person wishes to be out of use. */
  readonly #weak: readonly ByteRange[];
  readonly #dead: readonly ByteRange[];
  readonly #all: readonly ByteRange[];

  constructor(
    private readonly options: Pick<PlanOptions, 'failing' | 'retireFailing' | 'override'>,
    private readonly make: Pick<StepMakers, 'retire'>,
  ) {
    const { failing, retireFailing } = options;
    this.#unwritable = failing?.dead ?? none;
    this.#weak = retireFailing && failing ? failing.weak : none;
    this.#dead = retireFailing ? this.#unwritable : none;
    this.#all = joinRanges([...this.#weak, ...this.#dead]);
  }

  #earlyOf(kept: Kept): Step[] {
    const { now, planned } = kept;
    if (planned.format || planned.start !== now.start || !now.abilities.retire || !now.info) return [];
    const stays = Math.min(now.length, planned.length);
    const free = within(this.#dead, now.start, 0, stays).filter((p) => !overlapsAny(now.allocation, p.start, p.end));
    const places = stillInUse(joinRanges([...within(this.#weak, now.start, 0, stays), ...free]), now);
    if (places.length === 0) return [];
    const error = this.options.override ? undefined : now.findings.find((f) => f.severity === 'error');
    if (error) throw unsound(now, error.message);
    assertRoom(kept, places);
    return [this.make.retire(nameOf(planned), placeOf(now), places)];
  }

  /** Whether what is in use of a volume can be kept off places that it comes to. */
  #mayClear({ now, planned }: Kept): boolean {
    const sound = this.options.override === true || !hasErrors(now.findings);
    return !planned.format && now.abilities.retire && now.info !== undefined && sound;
  }

  /** What of a volume comes to places that can't be written, on any of its ways. Bytes of the volume. */
  #ahead(kept: Kept, carries: readonly Step[]): readonly ByteRange[] {
    if (this.#unwritable.length === 0 || !this.#mayClear(kept)) return none;
    const to = carries.flatMap((c) => (c.kind === 'carry' && isOf(c, kept) && isHere(c.to) ? [c.to] : []));
    const hit = to.flatMap(({ start, length }) => within(this.#unwritable, start, 0, length));
    return stillInUse(joinRanges(hit), kept.now);
  }

  /**
   * What volumes that go elsewhere clear before they go, so that nothing of them comes to what can't be written.
   * @throws CoreError `plan.refused` where there is not the room
   */
  ahead(kept: readonly Kept[], carries: readonly Step[]): Step[] {
    return kept.flatMap((k) => {
      const places = this.#ahead(k, carries);
      if (places.length === 0) return [];
      assertRoom(k, places);
      return [this.make.retire(nameOf(k.planned), placeOf(k.now), places, true)];
    });
  }

  /** What a volume takes out of use of the room that it comes to, or that it gains from a length on, but what is so already. */
  late(volume: LaidVolume, from = 0, out = none): Step[] {
    if (!abilitiesOf(volume.fileSystem).retire) return [];
    const places = notWithin(within(this.#all, volume.start, from, volume.length), out);
    return places.length > 0 ? [this.make.retire(nameOf(volume), placeOf(volume), places)] : [];
  }

  /**
   * What volumes that stay take out of use before anything else is done to them. What can't be read any more, and is in use,
   * stays: their check says what that is.
   * @throws CoreError `plan.refused` where there is not the room
   */
  early(kept: readonly Kept[]): Step[] {
    return kept.flatMap((k) => this.#earlyOf(k));
  }

  /** What volumes take out of use once they have their place. */
  gained(kept: readonly Kept[], others: readonly LaidVolume[], carries: readonly Step[]): Step[] {
    return [...kept.flatMap((k) => this.#gainedBy(k, carries)), ...others.flatMap((v) => this.late(v))];
  }

  #gainedBy(kept: Kept, carries: readonly Step[]): Step[] {
    const { now, planned } = kept;
    if (planned.format || !now.info) return [];
    const out = now.info.outOfUse ?? none;
    return planned.start === now.start
      ? this.late(planned, Math.min(now.length, planned.length), out)
      : this.late(planned, 0, joinRanges([...out, ...this.#ahead(kept, carries)]));
  }

  /** Whether anything of a kept volume goes out of use. */
  change(kept: Kept, carries: readonly Step[]): boolean {
    return this.#earlyOf(kept).length + this.#gainedBy(kept, carries).length > 0;
  }

  /**
   * What is in use of volumes comes to no place that can't be written.
   * @throws CoreError `plan.refused`
   */
  assertNoneWritten(steps: readonly Step[], kept: readonly Kept[], copied: readonly Copied[]): void {
    for (const k of kept) this.#assertTableFits(k);
    for (const step of this.options.override ? [] : steps) {
      if (step.kind !== 'carry' || !isHere(step.to)) continue;
      const { start, length } = step.to;
      const stays = this.#staysOn(step, kept, copied);
      const hit = within(this.#unwritable, start, 0, length).find((p) => stays(p));
      if (hit) throw refused('failing.place', { volume: step.name, at: start + hit.start });
    }
  }

  /** Where clusters are counted from behind a table, that is longer in a larger volume: it comes to where the first ones were. */
  #assertTableFits({ now, planned }: Kept): void {
    const gained = planned.length - now.length;
    const { clustersFrom, clusterSize } = now.info ?? {};
    if (planned.format || gained <= 0 || clustersFrom === undefined) return;
    const most = clustersFrom + TABLE_BYTES * Math.ceil(gained / clusterSize!) + EDGES * clusterSize!;
    const end = Math.min(most, planned.length);
    const out = within(this.#all, planned.start, clustersFrom, end);
    const [hit] = joinRanges([...out, ...within(this.#unwritable, planned.start, 0, end)]);
    if (hit) throw refused('failing.table', { volume: nameOf(planned), at: planned.start + hit.start });
  }

  /** Whether something of a volume may come to a place as it is carried. */
  #staysOn(step: CarryStep, kept: readonly Kept[], copied: readonly Copied[]): (place: ByteRange) => boolean {
    const { length } = step.to;
    const moved = kept.find((k) => isOf(step, k));
    const volume = moved?.now ?? copied.find((c) => c.number === step.number)?.original;
    if (moved && this.#mayClear(moved)) {
      const immovable = moved.now.immovable ?? [{ start: 0, end: length }];
      return ({ start, end }) => overlapsAny(immovable, start, end) || end > length - LAST;
    }
    // Where what is carried in comes to is not known before.
    if (!volume?.info || step.whole || bytesBeyond(volume.allocation, length) > 0) return () => true;
    return ({ start, end }) => overlapsAny(volume.allocation, start, end);
  }
}

const isOf = (step: CarryStep, { now }: Kept): boolean => step.number === now.number;

/** What is cleared comes to other places of the volume. @throws CoreError `plan.refused` */
function assertRoom({ now, planned }: Kept, places: readonly ByteRange[]): void {
  const { free, clusterSize } = now.info!;
  const bytes = totalOf(places) + places.length * EDGES * clusterSize;
  const shrunk = planned.length < now.length ? planned.length - now.limits!.floor.bytes : Infinity;
  const room = Math.min(free, shrunk);
  if (bytes > room) throw refused('failing.room', { volume: nameOf(planned), bytes, free: Math.max(0, room) });
}

/** Places of a volume without those that it has out of use already. */
const stillInUse = (places: readonly ByteRange[], { info }: SurveyedVolume): ByteRange[] =>
  notWithin(places, info?.outOfUse ?? none);

/** Places without those that lie in one of some stretches, which are sorted. */
const notWithin = (places: readonly ByteRange[], stretches: readonly ByteRange[]): ByteRange[] =>
  places.filter(({ start, end }) => {
    const first = stretches[firstAfter(stretches, start)];
    return !first || first.start > start || first.end < end;
  });

/** What of ranges of the disk lies in a volume from a length on, in bytes of the volume. */
function within(ranges: readonly ByteRange[], start: number, from: number, length: number): ByteRange[] {
  return ranges.flatMap((range) => {
    const [low, high] = [Math.max(range.start - start, from), Math.min(range.end - start, length)];
    return low < high ? [{ start: low, end: high }] : [];
  });
}
