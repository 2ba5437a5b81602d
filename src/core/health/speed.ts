/** How fast a device is read: by position from its start to its end, in blocks of several sizes, and at random. */
import type { BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import * as z from 'zod';

/** What was measured: the model of a practice disk's medium, or the reading of a file on this machine. */
export type Measured = 'medium' | 'file';

const rate = z.number().min(0);

/** Speeds in bytes a second, or reads a second. Plain data. */
export const speedResultSchema = z.object({
  version: z.literal(1),
  measured: z.enum(['medium', 'file']) satisfies z.ZodType<Measured>,
  /** When it was taken, as an ISO string. */
  taken: z.string(),
  size: z.int().min(1),
  /** From start to end. */
  course: z.array(z.object({ at: z.int().min(0), bytesPerSecond: rate })).max(1000),
  blocks: z.array(z.object({ size: z.int().min(1), bytesPerSecond: rate })).max(100),
  random: z.object({ size: z.int().min(1), readsPerSecond: rate }),
  /** Places at which nothing could be read. */
  failed: z.int().min(0),
});

export type SpeedResult = z.output<typeof speedResultSchema>;

export interface SpeedOptions {
  readonly clock: () => number;
  readonly signal?: AbortSignal;
  readonly measured: Measured;
  readonly taken: string;
  /** From 0 to 1, when something more is known. */
  readonly progress?: (share: number) => void;
}

const POSITIONS = 64;
const COURSE_BYTES = 8 * 1024 * 1024;
const BLOCK_SIZES = [4, 16, 64, 256, 1024, 4096].map((kib) => kib * 1024);
const BLOCK_READS = 64;
const RANDOM_BYTES = 4096;
const RANDOM_READS = 256;
/** Steps of a random walk that visits every place of a share once: an odd number near the golden section. */
const STRIDE = 0.6180339887;

/** @throws what is no failing to read, and the signal's reason when aborted */
export async function measureSpeed(device: BlockDevice, options: SpeedOptions): Promise<SpeedResult> {
  const { clock, signal, measured, taken, progress } = options;
  let failed = 0;
  let done = 0;
  const all = 2 * POSITIONS + BLOCK_SIZES.length + 1;
  /** Seconds that `act` takes, or undefined where it can't read. */
  const timed = async (act: () => Promise<void>): Promise<number | undefined> => {
    signal?.throwIfAborted();
    const from = clock();
    try {
      await act();
      return Math.max(clock() - from, 1e-9);
    } catch (error) {
      if (!isCoreError(error, 'device.read-failed')) throw error;
      failed += 1;
      return undefined;
    } finally {
      done += 1;
      progress?.(Math.min(1, done / all));
    }
  };
  const within = (share: number, length: number): number =>
    Math.floor((share * Math.max(0, device.size - length)) / device.sectorSize) * device.sectorSize;
  const course: { at: number; bytesPerSecond: number }[] = [];
  const length = Math.min(COURSE_BYTES, device.size);
  for (let n = 0; n < POSITIONS; n++) {
    const at = within(n / (POSITIONS - 1), length);
    // The way to the place is no part of its speed.
    const reached = await timed(() => device.verify(at, device.sectorSize));
    const [from, rest] = [at + device.sectorSize, length - device.sectorSize];
    const seconds = reached === undefined ? undefined : await timed(() => device.verify(from, rest));
    if (seconds !== undefined) course.push({ at, bytesPerSecond: rest / seconds });
  }
  const blocks: { size: number; bytesPerSecond: number }[] = [];
  for (const size of BLOCK_SIZES.filter((s) => s * BLOCK_READS <= device.size && s >= device.sectorSize)) {
    const start = within(0.25, size * BLOCK_READS);
    const seconds = await timed(async () => {
      for (let n = 0; n < BLOCK_READS; n++) await device.verify(start + n * size, size);
    });
    if (seconds !== undefined) blocks.push({ size, bytesPerSecond: (size * BLOCK_READS) / seconds });
  }
  let [reads, spent, share] = [0, 0, 0.5];
  const size = Math.max(RANDOM_BYTES, device.sectorSize);
  for (let n = 0; n < RANDOM_READS && device.size >= size; n++) {
    share = (share + STRIDE) % 1;
    const at = within(share, size);
    const seconds = await timed(() => device.verify(at, size));
    if (seconds === undefined) continue;
    reads += 1;
    spent += seconds;
  }
  const random = { size, readsPerSecond: spent > 0 ? reads / spent : 0 };
  return { version: 1, measured, taken, size: device.size, course, blocks, random, failed };
}
