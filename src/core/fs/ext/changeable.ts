/** What of a volume nobody here may change, since it would have to be changed in ways that are not known here. */
import { CoreError } from '@/core/errors';
import { has, RO_COMPAT, unknownFeatures, type Geometry } from './superblock';
import { Draft } from './draft';
import type { ExtState } from './state';

/** Why a volume stays as it is, or undefined. */
export function fixedBecause({ super: s }: Geometry): string | undefined {
  const { toChange } = unknownFeatures(s);
  if (toChange !== 0) return `it has features that are not known here (0x${toChange.toString(16)})`;
  if (has(s.roCompat, RO_COMPAT.readOnly)) return 'it is marked as read-only';
  if (has(s.roCompat, RO_COMPAT.clusters)) return 'it counts its blocks by clusters';
  if (has(s.roCompat, RO_COMPAT.quota) || has(s.roCompat, RO_COMPAT.project)) return 'it keeps quotas';
  return undefined;
}

/** @throws CoreError `fs.ability` */
export function assertChangeable(g: Geometry, ability: string): void {
  const why = fixedBecause(g);
  if (why) throw new CoreError('fs.ability', { fileSystem: 'ext', ability: `${ability}, since ${why}` });
}

/** The volume as it is, to be changed. */
export function draftOf({ g, bytes, groups, bits }: ExtState): Draft {
  return new Draft(
    g,
    bytes,
    groups.map((group) => ({ ...group })),
    bits.blocks.slice(),
    bits.inodes.slice(),
  );
}
