/** Makes a volume's file system larger. */
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { baseShape, byteCount, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface GrowStep extends StepBase {
  readonly kind: 'grow';
  readonly at: Place;
  readonly from: number;
}

export const grow: StepKind<GrowStep> = {
  schema: z.strictObject({ kind: z.literal('grow'), ...baseShape, at: herePlaceSchema, from: byteCount }),
  restarts: true,
  words: ({ name, at, from }, units) => ({
    title: `Grow ${name} to ${formatSize(at.length, units)}`,
    detail: `from ${formatSize(from, units)}, no file is touched`,
  }),
  reason: () => 'Last of all changes: the room behind it is free only now.',
  claims: ({ at, from }, owners) => {
    const owner = owners.at({ ...at, length: from });
    return owners.without(owner).with(at, owner.volume);
  },
  touches: ({ at }) => [at],
};
