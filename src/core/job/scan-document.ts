/** Reading what a scan found, as the runner printed it or the page saved it, for a plan that takes it into account. */
import { CoreError } from '@/core/errors';
import { joinRanges } from '@/core/fs';
import type { Failing } from '@/core/plan';
import * as z from 'zod';

const place = z.object({ start: z.int().min(0), end: z.int().min(0) }).refine((p) => p.end > p.start);
const schema = z.object({
  version: z.literal(1),
  faults: z.array(place).max(100_000),
  slow: z.array(place).max(100_000),
});

/**
 * @param size bytes of the disk that it is of
 * @throws CoreError `scan.invalid`
 */
export function parseScan(input: unknown, size: number): Failing {
  const { data } = schema.safeParse(input);
  if (!data) throw new CoreError('scan.invalid', { reason: 'it is not what a scan prints' });
  const all = [...data.faults, ...data.slow];
  if (all.some((p) => p.end > size)) throw new CoreError('scan.invalid', { reason: 'it is of a larger disk' });
  return { weak: joinRanges(data.slow), dead: joinRanges(data.faults) };
}
