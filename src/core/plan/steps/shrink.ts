/** Makes a volume's file system smaller. */
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import { z } from 'zod';
import { baseShape, byteCount, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface ShrinkStep extends StepBase {
  readonly kind: 'shrink';
  readonly at: Place;
  readonly to: number;
}

export const shrink: StepKind<ShrinkStep> = {
  schema: z.strictObject({ kind: z.literal('shrink'), ...baseShape, at: herePlaceSchema, to: byteCount }),
  restarts: true,
  words: ({ name, to, cost }, units) => ({
    title: `Shrink ${name} to ${formatSize(to, units)}`,
    detail:
      cost.carries > 0
        ? `${formatSize(cost.carries, units)} sits past the new end and is carried in`
        : 'nothing sits past the new end',
  }),
  reason: () => 'First of all changes: the room it frees is needed by those that follow.',
  claims: ({ at, to }, owners) => {
    const owner = owners.at(at);
    return owners.without(owner).with({ ...at, length: to }, owner.volume);
  },
  touches: ({ at }) => [at],
};
