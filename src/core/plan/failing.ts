/**
 * What a plan does about stretches that fail: volumes take them out of use where a person wishes that, as soon as they have
 * them, and what is in use is not carried onto what can't be written.
 */
import { firstAfter } from '@/core/bytes';
import { abilitiesOf, bytesBeyond, joinRanges, overlapsAny, totalOf, type ByteRange } from '@/core/fs';
import type { SurveyedVolume } from '@/core/inspect';
import { nameOf, type LaidVolume } from '@/core/layout';
import { isHere } from '@/core/place';
import type { PlanOptions } from './options';
import { refused, unsound } from './refused';
import type { StepMakers } from './step-makers';
import type { Step } from './steps';
import { placeOf, type Copied, type Kept } from './subjects';

/** Room that a volume needs for one place, beside the place itself: the clusters it begins and ends in. */
const EDGES = 2;

export class FailingPlaces {
  readonly #weak: readonly ByteRange[];
  readonly #dead: readonly ByteRange[];
  readonly #all: readonly ByteRange[];

  constructor(
    private readonly options: Pick<PlanOptions, 'failing' | 'retireFailing' | 'override'>,
    private readonly make: Pick<StepMakers, 'retire'>,
  ) {
    const { failing, retireFailing } = options;
    this.#weak = retireFailing && failing ? failing.weak : [];
    this.#dead = retireFailing && failing ? failing.dead : [];
    this.#all = joinRanges([...this.#weak, ...this.#dead]);
  }

  #earlyOf({ now, planned }: Kept): Step[] {
    if (planned.format || planned.start !== now.start || !now.abilities.retire || !now.info) return [];
    const stays = Math.min(now.length, planned.length);
    const free = within(this.#dead, now.start, 0, stays).filter((p) => !overlapsAny(now.allocation, p.start, p.end));
    const places = stillInUse(joinRanges([...within(this.#weak, now.start, 0, stays), ...free]), now);
    if (places.length === 0) return [];
    const error = this.options.override ? undefined : now.findings.find((f) => f.severity === 'error');
    if (error) throw unsound(now, error.message);
    const bytes = totalOf(places) + places.length * EDGES * now.info.clusterSize;
    const shrunk = planned.length < now.length ? planned.length - now.limits!.floor.bytes : Infinity;
    const room = Math.min(now.info.free, shrunk);
    if (bytes > room) throw refused('failing.room', { volume: nameOf(planned), bytes, free: Math.max(0, room) });
    return [this.make.retire(nameOf(planned), placeOf(now), places)];
  }

  /** What a volume takes out of use of the room that it comes to, or that it gains from a length on. */
  late(volume: LaidVolume, from = 0, before?: SurveyedVolume): Step[] {
    if (!abilitiesOf(volume.fileSystem).retire) return [];
    const places = stillInUse(within(this.#all, volume.start, from, volume.length), before);
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
  gained(kept: readonly Kept[], others: readonly LaidVolume[]): Step[] {
    return [...kept.flatMap((k) => this.#gainedBy(k)), ...others.flatMap((v) => this.late(v))];
  }

  #gainedBy({ now, planned }: Kept): Step[] {
    if (planned.format || !now.info) return [];
    return planned.start === now.start
      ? this.late(planned, Math.min(now.length, planned.length), now)
      : this.late(planned, 0, now);
  }

  /** Whether anything of a kept volume goes out of use. */
  change(kept: Kept): boolean {
    return this.#earlyOf(kept).length + this.#gainedBy(kept).length > 0;
  }

  /**
   * What is in use of volumes comes to no place that can't be written.
   * @throws CoreError `plan.refused`
   */
  assertNoneWritten(steps: readonly Step[], kept: readonly Kept[], copied: readonly Copied[]): void {
    const { override, failing } = this.options;
    for (const step of override ? [] : steps) {
      if (step.kind !== 'carry' || !isHere(step.to)) continue;
      const { start, length } = step.to;
      const volume =
        kept.find((k) => k.now.number === step.number)?.now ?? copied.find((c) => c.number === step.number)?.original;
      // Where what is carried in comes to is not known before.
      const known = volume?.info && !step.whole && bytesBeyond(volume.allocation, length) === 0;
      const hit = within(failing?.dead ?? [], start, 0, length).find(
        (p) => !known || overlapsAny(volume.allocation, p.start, p.end),
      );
      if (hit) throw refused('failing.place', { volume: step.name, at: start + hit.start });
    }
  }
}

/** Places of a volume without those that it has out of use already. */
const stillInUse = (places: readonly ByteRange[], volume: SurveyedVolume | undefined): ByteRange[] => {
  const out = volume?.info?.outOfUse ?? [];
  return places.filter(({ start, end }) => {
    const first = out[firstAfter(out, start)];
    return !first || first.start > start || first.end < end;
  });
};

/** What of ranges of the disk lies in a volume from a length on, in bytes of the volume. */
function within(ranges: readonly ByteRange[], start: number, from: number, length: number): ByteRange[] {
  return ranges.flatMap((range) => {
    const [low, high] = [Math.max(range.start - start, from), Math.min(range.end - start, length)];
    return low < high ? [{ start: low, end: high }] : [];
  });
}
