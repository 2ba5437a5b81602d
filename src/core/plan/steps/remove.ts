/** Takes a volume away. The table step makes it so. */
import type { Place } from '@/core/place';
import { z } from 'zod';
import { lossWords } from '../words';
import { baseShape, herePlaceSchema, lossSchema, type Loss, type StepBase, type StepKind } from './step-kind';

export interface RemoveStep extends StepBase {
  readonly kind: 'remove';
  readonly at: Place;
  readonly loses: Loss;
}

export const remove: StepKind<RemoveStep> = {
  schema: z.strictObject({ kind: z.literal('remove'), ...baseShape, at: herePlaceSchema, loses: lossSchema }),
  words: ({ name, loses }, units) => ({ title: `Remove ${name}`, detail: `lost: ${lossWords(loses, units)}` }),
  reason: () => 'Its room is given to others. The table no longer names it once it is written.',
  claims: ({ at }, owners) => owners.without(owners.at(at)),
  touches: () => [],
};
