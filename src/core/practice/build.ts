/** A practice disk from its recipe: real tables and file systems, written by the same drivers as everything else. */
import { SparseDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { driverOf, kindFacts } from '@/core/fs';
import { ALIGNMENT } from '@/core/layout';
import { applyNow, writeFirstSector } from '@/core/run';
import { ceilTo, floorTo, readSize } from '@/core/size';
import { serialiseMbr } from '@/core/table';
import { fillVolume } from './fill';
import { seedOf } from './random';
import type { Recipe, RecipeVolume } from './recipe';

interface Placed {
  readonly volume: RecipeVolume;
  readonly start: number;
  readonly length: number;
}

/** Bytes of the disk a recipe describes. @throws CoreError `size.unreadable` */
export function recipeSize(recipe: Recipe): number {
  return floorTo(readSize(recipe.size, { whole: 0 }).bytes, recipe.sectorSize);
}

/**
 * Builds a practice disk.
 * @param disk where to build it, zeros; a sparse device of the right size by default
 * @throws CoreError `recipe.invalid`, and whatever a driver refuses
 */
export async function buildPracticeDisk(
  recipe: Recipe,
  disk: BlockDevice = new SparseDevice(recipeSize(recipe), recipe.sectorSize),
): Promise<BlockDevice> {
  const placed = place(recipe, disk.size);
  for (const volume of placed) await buildVolume(recipe, disk, volume);
  if (recipe.table === 'mbr') await writeFirstSector(disk, tableSector(recipe, placed));
  return disk;
}

function place(recipe: Recipe, diskSize: number): Placed[] {
  const first = recipe.table === 'mbr' ? ALIGNMENT : 0;
  let at = first;
  const fixed = recipe.volumes
    .filter((v) => v.size !== 'rest')
    .reduce((sum, v) => sum + readSize(v.size, { whole: diskSize }).bytes, 0);
  return recipe.volumes.map((volume) => {
    const start = volume.start === undefined ? at : readSize(volume.start, { whole: diskSize }).bytes;
    const rest = recipe.table === 'mbr' ? floorTo(diskSize - first - fixed, ALIGNMENT) : diskSize;
    const length = floorTo(readSize(volume.size, { whole: diskSize, rest }).bytes, recipe.sectorSize);
    if (length <= 0 || start + length > diskSize) {
      throw new CoreError('recipe.invalid', {
        reason: `volume ${volume.label || volume.fileSystem} does not fit the disk`,
      });
    }
    at = ceilTo(start + length, ALIGNMENT);
    return { volume, start, length };
  });
}

async function buildVolume(recipe: Recipe, disk: BlockDevice, { volume, start, length }: Placed): Promise<void> {
  const driver = driverOf(volume.fileSystem);
  if (!driver) throw new CoreError('recipe.invalid', { reason: `no file system is called ${volume.fileSystem}` });
  const seed = seedOf(`${recipe.id}/${start}`);
  const window = new WindowDevice(disk, start, length);
  const { label, clusterSize, fileSystem: kind } = volume;
  const options = {
    kind,
    label,
    serial: seed,
    startLba: start / recipe.sectorSize,
    ...(clusterSize ? { clusterSize } : {}),
  };
  await applyNow(disk, start, [], (tx) => driver.make(window, options, tx));
  if (volume.fill.length === 0) return;
  const opened = await driver.open(window);
  await applyNow(disk, start, await opened.allocation(), async (tx) => {
    const writer = await opened.writer(tx);
    await fillVolume(writer, volume.fill, seed);
    await writer.finish();
  });
}

function tableSector(recipe: Recipe, placed: readonly Placed[]): Uint8Array {
  const entries = placed.map(({ volume, start, length }, slot) => ({
    slot,
    active: volume.active ?? false,
    type: kindFacts(volume.fileSystem).mbrType(length),
    startLba: start / recipe.sectorSize,
    lengthSectors: length / recipe.sectorSize,
  }));
  return serialiseMbr(new Uint8Array(recipe.sectorSize), entries, seedOf(recipe.id));
}
