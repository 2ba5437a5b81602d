/**
 * Samples of a disk, by which it is known again: digests of some of its bytes, taken before a run's first write. A journal
 * or a way back that is laid beside another disk, though it be of the same size and have the same table, is told from its
 * own by them.
 *
 * Sampled are the first sectors, the beginning of every volume, where a file system says which one it is, and blocks spread
 * evenly over what is in use. What can't be read is left out.
 */
import { crc32 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { totalOf, type ByteRange } from '@/core/fs';
import type { Survey } from '@/core/inspect';
import type { DiskId } from '@/core/place';
import * as z from 'zod';

/** Bytes of a sample. */
export const SAMPLE = 4096;
const SPREAD = 256;
const MOST_VOLUMES = 512;

export const diskSamplesSchema = z
  .strictObject({
    size: z.int().min(1),
    sectorSize: z.union([z.literal(512), z.literal(4096)]),
    /** Offset and CRC-32 of each; how long one is follows from the version of what holds it. */
    samples: z
      .array(z.tuple([z.int().min(0), z.int().min(0).max(0xffffffff)]).readonly())
      .max(2000)
      .readonly(),
  })
  .readonly();

/** Plain data. */
export type DiskSamples = z.output<typeof diskSamplesSchema>;

/** Samples of another disk than the one that is divided. */
export interface OtherSamples {
  readonly disk: DiskId;
  readonly samples: DiskSamples;
}

/** Takes samples of a disk that was surveyed just now. */
export async function takeSamples(disk: BlockDevice, survey: Survey): Promise<DiskSamples> {
  const samples: [number, number][] = [];
  for (const offset of offsetsFor(survey)) {
    const sum = await sampleAt(disk, offset);
    if (sum !== undefined) samples.push([offset, sum]);
  }
  return { size: disk.size, sectorSize: disk.sectorSize as 512 | 4096, samples };
}

function offsetsFor({ size, volumes }: Survey): number[] {
  const offsets = new Set<number>();
  const add = (offset: number): void => {
    const at = Math.floor(offset / SAMPLE) * SAMPLE;
    if (at + SAMPLE <= size) offsets.add(at);
  };
  add(0);
  for (const { start } of volumes.slice(0, MOST_VOLUMES)) add(start);
  const used = volumes.flatMap((v) =>
    v.allocation.map(({ start, end }) => ({ start: v.start + start, end: v.start + end })),
  );
  const every = totalOf(used) / SPREAD;
  let next = every / 2;
  let before = 0;
  for (const { start, end } of used) {
    for (; next < before + (end - start); next += every) add(start + (next - before));
    before += end - start;
  }
  return [...offsets].sort((a, b) => a - b);
}

async function sampleAt(disk: BlockDevice, offset: number): Promise<number | undefined> {
  try {
    return crc32(await disk.bytes(offset, SAMPLE));
  } catch (error) {
    if (isCoreError(error, 'device.read-failed')) return undefined;
    throw error;
  }
}

/** Whether a disk is of the size, and has all samples that touch none of the sorted ranges `except`. */
export async function hasSamples(
  disk: BlockDevice,
  { size, sectorSize, samples }: DiskSamples,
  except: (range: ByteRange) => boolean = () => false,
): Promise<boolean> {
  if (disk.size !== size || disk.sectorSize !== sectorSize) return false;
  for (const [offset, sum] of samples) {
    if (offset + SAMPLE > size) return false;
    if (except({ start: offset, end: offset + SAMPLE })) continue;
    const found = await sampleAt(disk, offset);
    // A sector that has begun to fail since says nothing of which disk it is.
    if (found !== undefined && found !== sum) return false;
  }
  return true;
}
