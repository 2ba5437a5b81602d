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
import { stepClaims, stepTouches } from './steps';

/** Who owns which bytes before the first step. */
function beginning({ relies, lent, steps }: Plan): Ownership {
  // What is made anew holds nothing that anybody wants, so its old place belongs to nobody.
  const anew = new Set(steps.flatMap((s) => (s.kind === 'make' && s.replaces !== undefined ? [s.replaces] : [])));
  const owners = relies.volumes
    .filter((v) => !anew.has(v.number))
    .map(({ number, start, length }) => ({ volume: number, place: { disk: HERE, start, length } }));
  return Ownership.of(owners, lent);
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
  if (owners.owners.some((o) => !isHere(o.place))) throw new RangeError('the plan leaves volumes set aside');
  for (const { start, length } of plan.steps.flatMap(stepTouches))
    if (start + length > plan.relies.size) throw new RangeError('the plan leads past the end of the disk');
  return owners;
}

/** The dry run, and that it leads to what was planned. @throws RangeError as {@link provePlan} does */
export function verifyPlan(planned: Layout, plan: Plan): void {
  const { owners } = provePlan(plan);
  if (plan.steps.length === 0) return;
  for (const volume of planned.volumes) {
    const own = owners.find((o) => o.place.start === volume.start);
    const expected = volume.origin.kind === 'kept' && !volume.format ? volume.origin.number : 'new';
    if (own?.place.length !== volume.length || own.volume !== expected)
      throw new RangeError(`the plan does not lead to volume [${volume.start}, ${endOf(volume)})`);
  }
  if (owners.length !== planned.volumes.length) throw new RangeError('the plan leads to other volumes than planned');
}
