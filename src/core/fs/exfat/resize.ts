/** Giving an exFAT volume another size, and taking places of it out of use. */
import type { Run } from '../free-space';
import type { ByteRange, Transaction } from '../port';
import { Retired } from '../retired';
import type { ExfatState } from './boot-edits';
import { Change } from './change';
import { clustersIn, geometryFor } from './new-geometry';

/**
 * Resizes to at most `size` bytes. The caller has checked limits and soundness.
 * @param reserved bytes that belong to somebody else meanwhile; their clusters are marked as in use and given to nobody
 * @returns the clusters of what is reserved
 */
export async function resizeExfat(
  state: ExfatState,
  size: number,
  tx: Transaction,
  reserved?: ByteRange,
): Promise<Run> {
  const to = geometryFor(state.geometry, size);
  const held = reserved ? clustersIn(to, reserved) : { start: 2, length: 0 };
  await new Change(state, to, tx, held, Retired.none).run();
  return held;
}

/**
 * Carries what lies on places elsewhere, and marks their clusters as bad.
 * exFAT specification, section 4.1.3 (the mark in the allocation table) and 7.1.5 (its bit in the bitmap is set).
 */
export async function retireExfat(state: ExfatState, places: readonly ByteRange[], tx: Transaction): Promise<void> {
  const { geometry: g } = state;
  const retired = Retired.touching(places, g.heapSector * g.sectorSize, g.clusterSize, 2, g.clusterCount);
  await new Change(state, g, tx, { start: 2, length: 0 }, retired).run();
}
