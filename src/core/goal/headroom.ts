/** How much free space a volume should keep, and why. */
import { knownInfo, volumeNumbered, type Survey } from '@/core/inspect';
import type { LaidVolume } from '@/core/layout';
import { formatSize, GIB } from '@/core/size';

const SYSTEM_LEAST = 12 * GIB;
const SHARE = 0.1;

/** Bytes in use of a volume as planned: nothing of a new one, and undefined where what it holds is not known. */
export function inUse(survey: Survey, { origin, format }: LaidVolume): number | undefined {
  if (format || origin.kind === 'new') return 0;
  if (origin.kind === 'copy') return origin.bounds ? origin.used : undefined;
  const now = volumeNumbered(survey, origin.number);
  return now && knownInfo(now)?.used;
}

/** The same, with all of one whose content is not known. */
export const usedOf = (survey: Survey, volume: LaidVolume): number => inUse(survey, volume) ?? volume.length;

/** The least free space that is advised: a tenth, and for a system twelve GiB if that is more. */
export function leastHeadroom({ role, length }: Pick<LaidVolume, 'role' | 'length'>): number {
  if (role === 'system') return Math.max(SHARE * length, SYSTEM_LEAST);
  return role === 'data' ? SHARE * length : 0;
}

/** The length at which a volume has the headroom that is advised, and no more. Bytes. */
export function roomyLength(used: number, role: LaidVolume['role']): number {
  const share = used / (1 - SHARE);
  if (role === 'system') return Math.max(share, used + SYSTEM_LEAST);
  return role === 'data' ? share : used;
}

/** Why a volume is tight, or undefined when it is not. */
export function headroomAdvice(survey: Survey, volume: LaidVolume): string | undefined {
  if (volume.origin.kind === 'new' || volume.format) return undefined;
  const now = survey.volumes.find((v) => volume.origin.kind === 'kept' && v.number === volume.origin.number);
  if (!now?.info) return undefined;
  const free = volume.length - usedOf(survey, volume);
  const least = leastHeadroom(volume);
  // A volume that was tight before and loses nothing is not this plan's doing.
  if (free >= least || volume.length >= now.length) return undefined;
  return volume.role === 'system'
    ? `${formatSize(free)} stay free. A system needs room for updates, its page file and what programs leave: ${formatSize(least)} would be better.`
    : `${formatSize(free)} stay free, under a tenth of the volume. It will soon be full, and slower before that.`;
}
