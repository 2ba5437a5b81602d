/** Changes of the boot sector, in both regions and with their checksums. */
import type { BlockDevice } from '@/core/device';
import type { Transaction } from '../port';
import { BOOT, FLAG, REGION_SECTORS, sealRegion, type ExfatGeometry } from './boot-region';
import type { ExfatTree } from './owner';

/** A volume that is being changed. */
export interface ExfatState {
  readonly device: BlockDevice;
  readonly geometry: ExfatGeometry;
  readonly tree: ExfatTree;
}

/** Both regions alike, with their checksums. */
export async function writeRegions(region: Uint8Array, sectorSize: number, tx: Transaction): Promise<void> {
  sealRegion(region, sectorSize);
  await tx.write(0, region);
  await tx.write(REGION_SECTORS * sectorSize, region);
}

/** Changes fields of the boot sector in both regions. */
export async function changeBoot(
  { device, geometry: g }: ExfatState,
  fields: Parameters<typeof BOOT.encode>[0],
  tx: Transaction,
): Promise<void> {
  const region = await device.bytes(0, REGION_SECTORS * g.sectorSize);
  BOOT.encode(fields, region);
  await writeRegions(region, g.sectorSize, tx);
}

/** Marks the volume so that its system checks it. Neither checksum covers the flags. */
export function markDirty(state: ExfatState, tx: Transaction): Promise<void> {
  return changeBoot(state, { flags: state.geometry.flags | FLAG.dirty }, tx);
}
