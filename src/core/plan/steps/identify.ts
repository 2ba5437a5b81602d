/** Makes a copy another volume than its original: a serial of its own. */
import type { Place } from '@/core/place';
import * as z from 'zod';
import { baseShape, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface IdentifyStep extends StepBase {
  readonly kind: 'identify';
  readonly at: Place;
  /** A 32-bit number that the kind makes its own identity of. */
  readonly serial: number;
}

export const identify: StepKind<IdentifyStep> = {
  schema: z.strictObject({
    kind: z.literal('identify'),
    ...baseShape,
    at: herePlaceSchema,
    serial: z.int().min(0).max(0xffffffff),
  }),
  words: ({ name }) => ({
    title: `Give ${name} an identity of its own`,
    detail: 'a new serial, so that a system can tell it from what it is a copy of',
  }),
  reason: () => 'Two volumes of one identity in one machine are taken for each other.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
};
