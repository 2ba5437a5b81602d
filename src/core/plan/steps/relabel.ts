/** Changes a label. */
import type { Place } from '@/core/place';
import * as z from 'zod';
import { baseShape, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface RelabelStep extends StepBase {
  readonly kind: 'relabel';
  readonly at: Place;
  readonly label: string;
}

export const relabel: StepKind<RelabelStep> = {
  schema: z.strictObject({
    kind: z.literal('relabel'),
    ...baseShape,
    at: herePlaceSchema,
    label: z.string().max(200),
  }),
  words: ({ name, label }) => ({
    title: `Label ${name}`,
    detail: label ? `the label becomes ${label}` : 'the label is taken away',
  }),
  reason: () => 'A label is changed where the volume has its final size.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
};
