/** The ways to a wish for room, side by side: what each carries, how long it takes, and what it costs the others. */
import { isCoreError } from '@/core/errors';
import { boundsOf, volumeNumbered, type Survey } from '@/core/inspect';
import {
  ALIGNMENT,
  canGive,
  endOf,
  gapsOf,
  makeRoom,
  nameOf,
  volumeOf,
  type Bounds,
  type Edited,
  type LaidVolume,
  type Layout,
  type RoomSource,
  type RoomWish,
  type VolumeId,
} from '@/core/layout';
import { derivePlan, lossWords, type Plan, type PlanOptions } from '@/core/plan';
import { ceilTo, formatSize } from '@/core/size';
import { leastHeadroom, usedOf } from './headroom';

/** One way. The layout is the planned one with the wish fulfilled. */
export interface Way {
  readonly title: string;
  /** What it costs the other volumes, a line each. */
  readonly costs: readonly string[];
  readonly layout: Layout;
  readonly notes: readonly string[];
  readonly name: string;
  readonly plan: Plan;
}

/** The ways there are, the best first, or why there is none. */
export interface Ways {
  readonly ways: readonly Way[];
  readonly none: string | undefined;
}

interface Candidate {
  readonly title: string;
  readonly source: RoomSource;
}

const MOST_WAYS = 8;

/** @param planned the layout the wish is made on */
export function waysTo(survey: Survey, planned: Layout, wish: RoomWish, options: PlanOptions = {}): Ways {
  const bounds = boundsOf(survey);
  const ways: Way[] = [];
  const seen = new Set<string>();
  let refusal: string | undefined;
  for (const { title, source } of candidates(survey, planned, bounds, wish)) {
    const edited = makeRoom(planned, bounds, wish, source);
    const way = edited.ok ? toWay(survey, planned, edited, title, wish, options) : edited.reason;
    if (typeof way === 'string') {
      refusal ??= way;
      continue;
    }
    const key = JSON.stringify(way.layout.volumes.map((v) => [v.id, v.start, v.length]));
    if (!seen.has(key)) ways.push(way);
    seen.add(key);
  }
  ways.sort(byCost);
  const none = ways.length > 0 ? undefined : (refusal ?? 'Nothing else on this disk can give anything.');
  return { ways: ways.slice(0, MOST_WAYS), none };
}

/** Ways that lose nothing first, then those that keep every volume, then what carries least, then what is quickest. */
function byCost(a: Way, b: Way): number {
  return (
    a.plan.loses.bytes - b.plan.loses.bytes ||
    b.layout.volumes.length - a.layout.volumes.length ||
    a.plan.total.carries - b.plan.total.carries ||
    a.plan.total.seconds - b.plan.total.seconds
  );
}

function toWay(
  survey: Survey,
  before: Layout,
  edited: Edited & { ok: true },
  title: string,
  wish: RoomWish,
  options: PlanOptions,
): Way | string {
  try {
    const plan = derivePlan(survey, edited.layout, options);
    const costs = costsOf(survey, before, edited.layout, wish);
    return { title, costs, layout: edited.layout, notes: edited.notes, name: edited.name, plan };
  } catch (error) {
    if (!isCoreError(error)) throw error;
    return error.message;
  }
}

function costsOf(survey: Survey, before: Layout, after: Layout, wish: RoomWish): string[] {
  return before.volumes.flatMap((was): string[] => {
    const is = after.volumes.find((v) => v.id === was.id);
    const name = nameOf(was);
    if (!is) return [`${name} goes: ${lossOf(survey, was)}`];
    const lines: string[] = [];
    if (is.length < was.length) {
      const left = is.length - usedOf(survey, is);
      const tight = left < leastHeadroom(is) ? ', which is little' : '';
      lines.push(`${name} gives ${formatSize(was.length - is.length)} and keeps ${formatSize(left)} free${tight}`);
    }
    const shift = is.start - was.start;
    if (shift !== 0 && is.origin.kind === 'kept') {
      const own = was.id === wish.id ? 'begins' : 'is moved';
      lines.push(`${name} ${own} ${formatSize(Math.abs(shift))} ${shift < 0 ? 'earlier' : 'later'}`);
    }
    return lines;
  });
}

function lossOf(survey: Survey, { origin }: LaidVolume): string {
  if (origin.kind !== 'kept') return 'it is not made yet';
  const now = volumeNumbered(survey, origin.number)!;
  return `${lossWords({ files: now.files, bytes: now.info?.used ?? now.length })} lost`;
}

function* candidates(survey: Survey, layout: Layout, bounds: Bounds, wish: RoomWish): Generator<Candidate> {
  const bytes = ceilTo(wish.bytes, ALIGNMENT);
  const own = wish.id === undefined ? undefined : volumeOf(layout, wish.id);
  const others = layout.volumes.filter((v) => v.id !== wish.id);
  const sideOf = (v: LaidVolume): RoomSource['side'] => (own && v.start < own.start ? 'before' : 'behind');
  yield* gapWays(layout, own, bytes);
  const roomy = (v: LaidVolume): number => canGive(v, bounds, usedOf(survey, v) + leastHeadroom(v));
  for (const volume of others) {
    const gives = new Map([[volume.id, Math.min(bytes, canGive(volume, bounds))]]);
    if (canGive(volume, bounds) > 0) yield { title: `From ${nameOf(volume)}`, source: { side: sideOf(volume), gives } };
  }
  for (const side of ['behind', 'before'] as const) {
    const givers = others.filter((v) => sideOf(v) === side);
    const gives = shares(givers, bytes, roomy) ?? shares(givers, bytes, (v) => canGive(v, bounds));
    if (gives && gives.size > 1) yield { title: `A share of ${gives.size} volumes`, source: { side, gives } };
  }
  for (const volume of others) {
    if (volume.guarded) continue;
    const side = sideOf(volume);
    yield { title: `Without ${nameOf(volume)}`, source: { side, removed: [volume.id] } };
    const place = placeFor(layout, volume, own);
    if (place !== undefined && volume.origin.kind === 'kept')
      yield { title: `Move ${nameOf(volume)} away`, source: { side, away: new Map([[volume.id, place]]) } };
  }
}

function* gapWays(layout: Layout, own: LaidVolume | undefined, bytes: number): Generator<Candidate> {
  const beside = own && gapsOf(layout).find((g) => g.start >= endOf(own) && g.start - endOf(own) < ALIGNMENT);
  const near = beside && beside.end - beside.start >= bytes;
  yield {
    title: near ? 'From the gap behind it' : 'From a gap further behind',
    source: { side: 'behind' },
  };
  const before = own && gapsOf(layout).find((g) => g.end <= own.start && own.start - g.end < ALIGNMENT);
  const enough = before && before.end - before.start >= bytes;
  yield {
    title: enough ? 'From the gap in front of it' : 'From a gap further in front',
    source: { side: 'before' },
  };
}

/** What each gives, in proportion to what it has to spare; undefined when all together have too little. */
function shares(
  givers: readonly LaidVolume[],
  bytes: number,
  has: (volume: LaidVolume) => number,
): ReadonlyMap<VolumeId, number> | undefined {
  const total = givers.reduce((sum, v) => sum + has(v), 0);
  if (total < bytes) return undefined;
  const out = new Map<VolumeId, number>();
  let left = bytes;
  for (const volume of givers) {
    const share = Math.min(left, has(volume), ceilTo((bytes * has(volume)) / total, ALIGNMENT));
    if (share > 0) out.set(volume.id, share);
    left -= share;
  }
  return left > 0 ? undefined : out;
}

/** Where a volume could go that is not beside the one that wants its place. */
function placeFor(layout: Layout, volume: LaidVolume, own: LaidVolume | undefined): number | undefined {
  const needed = volume.length + (volume.logical ? ALIGNMENT : 0);
  const gap = gapsOf(layout).find((g) => {
    const beside = own && g.start - endOf(own) < ALIGNMENT && g.start >= endOf(own);
    return !beside && g.end - g.start >= needed;
  });
  return gap && gap.start + (volume.logical ? ALIGNMENT : 0);
}
