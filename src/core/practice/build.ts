/** A practice disk from its recipe: real tables and file systems, written by the same drivers as everything else. */
import { SparseDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { driverOf, findKind } from '@/core/fs';
import { surveyDisk } from '@/core/inspect';
import {
  ALIGNMENT,
  asVolumeId,
  endOf,
  firstUsable,
  lastUsable,
  settle,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { tableFor } from '@/core/plan';
import { applyNow, placeContent, writeTable } from '@/core/run';
import { ceilTo, floorTo, readSize } from '@/core/size';
import { flagsFor, TYPE_CODE, typeCodeFor } from '@/core/table';
import { fillVolume } from './fill';
import { seedOf } from './random';
import type { Recipe, RecipeVolume } from './recipe';

/** Longer disks than there are; every place on one is a safe integer. */
const MOST_BYTES = 64 * 2 ** 40;

/** Bytes of the disk a recipe describes. @throws CoreError `size.unreadable`, `recipe.invalid` */
export function recipeSize(recipe: Recipe): number {
  const size = floorTo(readSize(recipe.size, { whole: 0 }).bytes, recipe.sectorSize);
  if (size < recipe.sectorSize) throw invalid('the disk is shorter than a sector');
  if (size > MOST_BYTES) throw invalid('the disk is longer than any there is');
  return size;
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
  const layout = layOut(recipe, disk.size);
  for (const [i, volume] of layout.volumes.entries()) await buildVolume(recipe, disk, recipe.volumes[i]!, volume);
  if (layout.table !== 'none') {
    const blank = await surveyDisk(new SparseDevice(disk.size, disk.sectorSize));
    await writeTable(disk, tableFor({ ...blank, partitions: blankTable(recipe) }, layout));
  }
  return disk;
}

/** A table of its own for each recipe, so that no two practice disks have the same signature. */
function blankTable(recipe: Recipe) {
  return { kind: 'mbr' as const, diskSignature: seedOf(recipe.id), primaries: [], logicals: [] };
}

function layOut(recipe: Recipe, diskSize: number): Layout {
  const empty: Layout = { diskSize, sectorSize: recipe.sectorSize, table: recipe.table, volumes: [] };
  const end = recipe.table === 'none' ? diskSize : floorTo(lastUsable(empty), ALIGNMENT);
  let at = firstUsable(empty);
  const sizes = recipe.volumes.map((v) =>
    v.size === 'rest' ? undefined : floorTo(readSize(v.size, { whole: diskSize }).bytes, recipe.sectorSize),
  );
  const fixed = sizes.reduce((sum: number, size) => sum + ceilTo(size ?? 0, ALIGNMENT), 0);
  const volumes = recipe.volumes.map((volume, i) => {
    const start = volume.start === undefined ? at : readSize(volume.start, { whole: diskSize }).bytes;
    const rest = recipe.table === 'none' ? diskSize : end - firstUsable(empty) - fixed;
    const length = sizes[i] ?? floorTo(readSize(volume.size, { whole: diskSize, rest }).bytes, recipe.sectorSize);
    if (length <= 0 || start + length > (recipe.table === 'none' ? diskSize : lastUsable(empty)))
      throw invalid(`volume ${volume.label || volume.fileSystem} does not fit the disk`);
    at = ceilTo(start + length, ALIGNMENT);
    return laid(volume, i, start, length);
  });
  const settled = settle({ ...empty, volumes }, new Map());
  if (!settled.ok) throw invalid(settled.reason);
  const sorted = [...settled.layout.volumes].sort((a, b) => a.start - b.start);
  const over = sorted.find((v, i) => i > 0 && v.start < endOf(sorted[i - 1]!));
  if (over) throw invalid(`volume ${over.label || over.fileSystem} lies over the one before it`);
  return settled.layout;
}

function laid(volume: RecipeVolume, i: number, start: number, length: number): LaidVolume {
  const { fileSystem, label, role, active = false, placement, type, typeGuid, tableName } = volume;
  const usual = findKind(fileSystem)?.mbrType(length) ?? TYPE_CODE.linuxData;
  return {
    id: asVolumeId(`new-${i + 1}`),
    origin: { kind: 'new' },
    start,
    length,
    fileSystem,
    label,
    role,
    active,
    type: type ?? typeCodeFor(role, usual),
    logical: false,
    flags: volume.flags ?? flagsFor(role),
    guarded: false,
    ...(placement ? { placement } : {}),
    ...(typeGuid ? { typeGuid } : {}),
    ...(tableName ? { tableName } : {}),
  };
}

async function buildVolume(
  recipe: Recipe,
  disk: BlockDevice,
  volume: RecipeVolume,
  { start, length }: LaidVolume,
): Promise<void> {
  const seed = seedOf(`${recipe.id}/${start}`);
  if (volume.fileSystem === 'unknown') {
    const used = volume.used === undefined ? length : readSize(volume.used, { whole: length }).bytes;
    return placeContent(disk, start, Math.min(length, used), seed);
  }
  const driver = driverOf(volume.fileSystem);
  if (!driver) throw invalid(`no file system is called ${volume.fileSystem}`);
  const window = new WindowDevice(disk, start, length);
  const { label, clusterSize, fileSystem: kind } = volume;
  const startLba = start / recipe.sectorSize;
  const options = { kind, label, serial: seed, startLba, ...(clusterSize ? { clusterSize } : {}) };
  await applyNow(disk, start, [], (tx) => driver.make(window, options, tx));
  if (volume.fill.length === 0) return;
  const opened = await driver.open(window);
  await applyNow(disk, start, await opened.allocation(), async (tx) => {
    const writer = await opened.writer(tx);
    await fillVolume(writer, volume.fill, seed);
    await writer.finish();
  });
}

const invalid = (reason: string): CoreError => new CoreError('recipe.invalid', { reason });
