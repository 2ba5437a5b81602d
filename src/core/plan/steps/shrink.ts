/** Makes a volume's file system smaller. */
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { baseShape, byteCount, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface ShrinkStep extends StepBase {
  readonly kind: 'shrink';
  readonly at: Place;
  readonly to: number;
  /** It is made so only for a time: as many bytes unallocated in one piece would do instead. */
  readonly forWantOf?: number;
}

export const shrink: StepKind<ShrinkStep> = {
  schema: z.strictObject({
    kind: z.literal('shrink'),
    ...baseShape,
    at: herePlaceSchema,
    to: byteCount,
    forWantOf: byteCount.optional(),
  }),
  restarts: true,
  words: ({ name, to, forWantOf, cost }, units) => ({
    title: `Shrink ${name} to ${formatSize(to, units)}${forWantOf === undefined ? '' : ' for a time'}`,
    detail:
      cost.carries > 0
        ? `${formatSize(cost.carries, units)} sits past the new end and is carried in`
        : 'nothing sits past the new end',
  }),
  reason: ({ forWantOf }) =>
    forWantOf === undefined
      ? 'First of all changes: the room it frees is needed by those that follow.'
      : `Volumes stand in each other’s way, and ${formatSize(forWantOf)} in one piece are not unallocated. What it gives is theirs until they have passed, and it is grown again in the end.`,
  claims: ({ at, to }, owners) => {
    const owner = owners.at(at);
    return owners.without(owner).with({ ...at, length: to }, owner.volume);
  },
  touches: ({ at }) => [at],
};
