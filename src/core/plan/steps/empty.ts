/** Clears what was set aside on another disk, once it is back: nobody's files stay behind on a disk that only lent room. */
import { isHere, type Place } from '@/core/place';
import * as z from 'zod';
import { baseShape, placeSchema, type StepBase, type StepKind } from './step-kind';

export interface EmptyStep extends StepBase {
  readonly kind: 'empty';
  readonly place: Place;
  /** What the other disk is called in sentences. */
  readonly other: string;
}

export const empty: StepKind<EmptyStep> = {
  schema: z.strictObject({
    kind: z.literal('empty'),
    ...baseShape,
    place: placeSchema.refine((place) => !isHere(place), 'a place on another disk'),
    other: z.string().max(200),
  }),
  words: ({ name, other }) => ({
    title: `Clear what was set aside on ${other}`,
    detail: `${name} is whole here, and nothing of it stays there`,
  }),
  reason: () => 'A disk that only lent room is given back without anybody’s files on it.',
  // Whoever was there has gone; nothing of anybody's may lie there.
  claims: ({ place }, owners) => {
    owners.with(place, 'new');
    return owners;
  },
  touches: () => [],
};
