/** Brings in what a volume's journal holds yet, before anything else of it is changed. */
import type { Place } from '@/core/place';
import * as z from 'zod';
import { baseShape, placeSchema, type StepBase, type StepKind } from './step-kind';

export interface SettleStep extends StepBase {
  readonly kind: 'settle';
  readonly at: Place;
}

export const settle: StepKind<SettleStep> = {
  schema: z.strictObject({ kind: z.literal('settle'), ...baseShape, at: placeSchema }),
  words: ({ name }) => ({
    title: `Bring in the journal of ${name}`,
    detail: 'what was written to its journal, and not yet to where it belongs, is written there',
  }),
  reason: () => 'It was not shut down. Its own system would do this at its next start, before anything else.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
  hazards: ({ name }) => [
    `${name} was not shut down. Its journal is brought in first; what was never written to that is not on it.`,
  ],
};
