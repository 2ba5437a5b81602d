/**
 * The dry run of a plan over ranges, before the first write: no step touches a byte that is live for somebody else.
 *
 * Every volume owns a stretch. A step may work only in its own; ownership changes hands only where the plan says so. It is
 * made when a plan is derived, and again when a run begins and when it is taken up.
 */
import { endOf, type Layout } from '@/core/layout';
import { HERE, isHere } from '@/core/place';
import { Ownership } from './ownership';
import type { Plan } from './plan';
import { placesElsewhere } from './scratch';
import { stepClaims, stepTouches, stepWrites } from './steps';

/** Who owns which bytes before the first step. */
function beginning({ relies, sources, lent, steps }: Plan): Ownership {
  // What is made anew holds nothing that anybody wants, so its old place belongs to nobody.
  const copied = new Set(
    steps.flatMap((s) =>
      ((s.kind === 'carry' && s.keeps) || (s.kind === 'transfer' && !s.back)) && isHere(s.from) ? [s.from.start] : [],
    ),
  );
  const anew = new Set(steps.flatMap((s) => (s.kind === 'make' && s.replaces !== undefined ? [s.replaces] : [])));
  const owners = relies.volumes
    .filter((v) => !anew.has(v.number) || copied.has(v.start))
    .map(({ number, start, length }) => ({ volume: number, place: { disk: HERE, start, length } }));
  const elsewhere = sources.flatMap(({ disk, relies: { volumes } }) =>
    volumes.map(({ start, length }) => ({ volume: 'original' as const, place: { disk, start, length } })),
  );
  return Ownership.of([...owners, ...elsewhere], lent);
}

/** Who owns which bytes before step number `index`. @throws RangeError when a step would touch what is not its own */
export function ownersBefore(plan: Plan, index: number): Ownership {
  return plan.steps.slice(0, index).reduce((owners, step) => stepClaims(step, owners), beginning(plan));
}

/**
 * Goes through the whole plan.
 * @throws RangeError when a step would touch what is not its own; a plan like that is our mistake, never a refusal
 */
export function provePlan(plan: Plan): Ownership {
  const owners = ownersBefore(plan, plan.steps.length);
  if (owners.owners.some((o) => !isHere(o.place) && o.volume !== 'original'))
    throw new RangeError('the plan leaves volumes set aside');
  // Of a disk that only lends room no more is known than what it lends.
  const sizes = new Map([
    ...placesElsewhere(plan),
    [HERE, plan.relies.size],
    ...plan.sources.map((s) => [s.disk, s.relies.size] as const),
  ]);
  for (const step of plan.steps)
    for (const { disk, start, length } of stepTouches(step)) {
      if (disk !== stepWrites(step)) throw new RangeError('a step writes to two disks at once');
      const size = sizes.get(disk);
      if (size === undefined || start + length > size) throw new RangeError('the plan leads past the end of the disk');
    }
  return owners;
}

/** The dry run, and that it leads to what was planned. @throws RangeError as {@link provePlan} does */
export function verifyPlan(planned: Layout, plan: Plan): void {
  const owners = provePlan(plan).owners.filter((o) => isHere(o.place));
  if (plan.steps.length === 0) return;
  const copies = plan.steps.flatMap((s) => (s.kind === 'carry' && s.keeps ? [[s.to.start, s.number] as const] : []));
  for (const volume of planned.volumes) {
    const own = owners.find((o) => o.place.start === volume.start);
    const { origin } = volume;
    const kept = origin.kind === 'kept' && !volume.format ? origin.number : 'new';
    const expected = origin.kind === 'copy' ? copies.find(([start]) => start === volume.start)?.[1] : kept;
    if (own?.place.length !== volume.length || own.volume !== expected)
      throw new RangeError(`the plan does not lead to volume [${volume.start}, ${endOf(volume)})`);
  }
  if (owners.length !== planned.volumes.length) throw new RangeError('the plan leads to other volumes than planned');
}
