/** How far the volumes of a surveyed disk can be resized, as layouts want to know it. */
import type { Bounds, VolumeBounds } from '@/core/layout';
import type { Survey } from './survey';

/** Bounds of every volume whose driver can resize it; a volume with errors is bound to its size. */
export function boundsOf(survey: Survey): Bounds {
  const out = new Map<number, VolumeBounds>();
  for (const { number, length, limits, abilities, findings } of [...survey.volumes, ...(survey.lost ?? [])]) {
    if (!limits) continue;
    const error = findings.find((f) => f.severity === 'error');
    const held = error ? `its check found an error: ${error.message.replace(/\.$/, '')}` : undefined;
    out.set(number, {
      floor: held || !abilities.shrink ? length : Math.min(limits.floor.bytes, length),
      floorReason: held ?? limits.floor.reason,
      ceiling: held || !abilities.grow ? length : Math.max(limits.ceiling.bytes, length),
      ceilingReason: held ?? limits.ceiling.reason,
    });
  }
  return out;
}
