/** Has the system a kept volume belongs to check it at its next start. */
import type { Place } from '@/core/place';
import * as z from 'zod';
import { baseShape, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface MarkStep extends StepBase {
  readonly kind: 'mark';
  readonly at: Place;
}

export const mark: StepKind<MarkStep> = {
  schema: z.strictObject({ kind: z.literal('mark'), ...baseShape, at: herePlaceSchema }),
  words: ({ name }) => ({
    title: `Have ${name} checked at its system’s next start`,
    detail: 'its mark of a clean end is taken away, after the proof',
  }),
  reason: () => 'The proof is done by then, so the mark can’t hide anything from it.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
};
