/** Takes a volume away. The table step makes it so. */
import type { Place } from '@/core/place';
import * as z from 'zod';
import { lossWords } from '../words';
import { baseShape, herePlaceSchema, lossSchema, type Loss, type StepBase, type StepKind } from './step-kind';

export interface RemoveStep extends StepBase {
  readonly kind: 'remove';
  readonly at: Place;
  /** Nothing where everything on it was taken to other volumes before. */
  readonly loses?: Loss;
}

export const remove: StepKind<RemoveStep> = {
  schema: z.strictObject({
    kind: z.literal('remove'),
    ...baseShape,
    at: herePlaceSchema,
    loses: lossSchema.optional(),
  }),
  words: ({ name, loses }, units) => ({
    title: `Remove ${name}`,
    detail: loses ? `lost: ${lossWords(loses, units)}` : 'everything on it was found at its new place',
  }),
  reason: () => 'Its room is given to others. The table no longer names it once it is written.',
  claims: ({ at }, owners) => owners.without(owners.at(at)),
  touches: () => [],
};
