/**
 * The dry run of a plan over ranges, before the first write: no step touches a byte that is live for somebody else.
 *
 * Every volume owns a stretch. A step may work only in its own; ownership changes hands only where the plan says so.
 */
import type { Survey } from '@/core/inspect';
import { endOf, type Layout } from '@/core/layout';
import type { Elsewhere, Plan, Scratch, Step, Stretch } from './steps';

interface Owner extends Stretch {
  readonly key: string;
}

/** @throws RangeError when a step would touch what is not its own; a plan like that is our mistake, never a refusal */
export function verifyPlan(survey: Survey, planned: Layout, plan: Plan, scratch: readonly Scratch[] = []): void {
  // What is made anew holds nothing that anybody wants, so its old place belongs to nobody.
  const anew = new Set(planned.volumes.flatMap((v) => (v.origin.kind === 'kept' && v.format ? [v.origin.number] : [])));
  let owners: Owner[] = survey.volumes
    .filter((v) => !anew.has(v.number))
    .map((v) => ({ key: `${v.number}`, start: v.start, length: v.length }));
  for (const step of plan.steps) owners = after(owners, step);
  verifyAway(plan.steps, scratch);
  for (const volume of planned.volumes) {
    const own = owners.find((o) => o.start === volume.start);
    const key = volume.origin.kind === 'kept' && !volume.format ? `${volume.origin.number}` : undefined;
    if (!own || own.length !== volume.length || (key !== undefined && plan.steps.length > 0 && own.key !== key))
      throw new RangeError(`the plan does not lead to volume [${volume.start}, ${endOf(volume)})`);
  }
  if (plan.steps.length > 0 && owners.length !== planned.volumes.length)
    throw new RangeError('the plan leads to other volumes than planned');
}

/** What is set aside on other disks lies in the stretches meant for it, over nothing else, until it is brought back. */
function verifyAway(steps: readonly Step[], scratch: readonly Scratch[]): void {
  const away = new Map<number, Elsewhere & Stretch>();
  for (const step of steps) {
    if (step.kind === 'park') {
      const place = { ...step.on, length: step.at.length };
      const end = place.start + place.length;
      const within = scratch.some((s) => s.disk === place.disk && s.start <= place.start && end <= s.start + s.length);
      const over = [...away.values()].some(
        (o) => o.disk === place.disk && o.start < end && place.start < o.start + o.length,
      );
      if (!within || over) throw new RangeError(`there is no room for volume ${step.number} on ${place.name}`);
      away.set(step.number, place);
    } else if (step.kind === 'fetch') {
      const place = away.get(step.number);
      if (place?.disk !== step.from.disk || place.start !== step.from.start || place.length !== step.at.length)
        throw new RangeError(`volume ${step.number} is not on ${step.from.name} when it shall be brought back`);
      away.delete(step.number);
    }
  }
  if (away.size > 0) throw new RangeError('the plan leaves volumes set aside');
}

function after(owners: Owner[], step: Step): Owner[] {
  switch (step.kind) {
    case 'shrink':
      return owners.map((o) => (o.start === step.at.start ? { ...o, length: step.to } : o));
    case 'move': {
      const own = owners.find((o) => o.key === `${step.number}`);
      if (!own || own.start !== step.at.start || own.length !== step.at.length)
        throw new RangeError(`volume ${step.number} is not at ${step.at.start} when it shall be moved`);
      return claim(
        owners.filter((o) => o !== own),
        { start: step.to, length: step.shrinkTo ?? step.at.length },
        own.key,
      );
    }
    case 'park': {
      const own = owners.find((o) => o.key === `${step.number}` && o.start === step.at.start);
      if (own?.length !== step.at.length)
        throw new RangeError(`volume ${step.number} is not at ${step.at.start} when it shall be set aside`);
      return owners.filter((o) => o !== own);
    }
    case 'fetch':
      return claim(owners, step.at, `${step.number}`);
    case 'remove':
      return owners.filter((o) => o.start !== step.at.start);
    case 'make':
      return claim(owners, step.at, 'new');
    case 'grow': {
      const own = owners.find((o) => o.start === step.at.start);
      if (!own) throw new RangeError(`no volume at ${step.at.start} to grow`);
      return claim(
        owners.filter((o) => o !== own),
        step.at,
        own.key,
      );
    }
    default:
      return owners;
  }
}

function claim(owners: Owner[], at: Stretch, key: string): Owner[] {
  const end = at.start + at.length;
  const hit = owners.find((o) => o.start < end && at.start < o.start + o.length);
  if (hit) throw new RangeError(`[${at.start}, ${end}) is live for [${hit.start}, ${hit.start + hit.length})`);
  return [...owners, { ...at, key }];
}
