/** Mends what is damaged on a volume from what has it a second time, and takes up one that no entry of the table names. */
import type { MendNote } from '@/core/inspect';
import type { Place } from '@/core/place';
import * as z from 'zod';
import { baseShape, herePlaceSchema, numberSchema, type StepBase, type StepKind } from './step-kind';

export interface MendStep extends StepBase {
  readonly kind: 'mend';
  readonly number: number;
  readonly at: Place;
  /** No entry of the table names it before the run. */
  readonly lost: boolean;
  /** Its place in the table before, where that is shorter than the volume. */
  readonly was?: Place;
  readonly mends: readonly MendNote[];
}

const words = z.string().max(200);

export const mend: StepKind<MendStep> = {
  schema: z.strictObject({
    kind: z.literal('mend'),
    ...baseShape,
    number: numberSchema,
    at: herePlaceSchema,
    lost: z.boolean(),
    was: herePlaceSchema.optional(),
    mends: z.array(z.strictObject({ what: words, from: words, unsure: words.optional() })).max(10_000),
  }),
  restarts: true,
  words: ({ name, lost, was, mends }) => ({
    title: lost ? `Put ${name} back` : was ? `Give ${name} the room that it says it has` : `Mend ${name}`,
    detail:
      mends.length === 0
        ? 'nothing on it has to be mended'
        : [...new Set(mends.map(({ what, from }) => `${what} from ${from}`))].join(', '),
  }),
  reason: ({ lost, was, mends }) =>
    was
      ? 'Its place in the table is shorter than the volume, and nothing else lies behind it.'
      : lost && mends.length === 0
        ? 'It was found where the table names nothing, and opens as it is.'
        : 'What has a second copy, or follows from something else, is written again. Nothing is guessed.',
  claims: ({ at, number, lost, was }, owners) => {
    if (was) return owners.without(owners.at(was, number)).with(at, number);
    if (lost) return owners.with(at, number);
    owners.at(at, number);
    return owners;
  },
  touches: ({ at }) => [at],
  hazards: ({ name, mends }) => [...new Set(mends.flatMap((m) => (m.unsure ? [`${name}: ${m.unsure}`] : [])))],
};
