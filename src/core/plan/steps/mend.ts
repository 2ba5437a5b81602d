/** Mends what is damaged on a volume from what has it a second time, and takes up one that no entry of the table names. */
import type { MendNote } from '@/core/inspect';
import type { Place } from '@/core/place';
import { z } from 'zod';
import { baseShape, herePlaceSchema, numberSchema, type StepBase, type StepKind } from './step-kind';

export interface MendStep extends StepBase {
  readonly kind: 'mend';
  readonly number: number;
  readonly at: Place;
  /** No entry of the table names it before the run. */
  readonly lost: boolean;
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
    mends: z.array(z.strictObject({ what: words, from: words, unsure: words.optional() })).max(10_000),
  }),
  restarts: true,
  words: ({ name, lost, mends }) => ({
    title: lost ? `Put ${name} back` : `Mend ${name}`,
    detail:
      mends.length === 0
        ? 'nothing on it has to be mended'
        : [...new Set(mends.map(({ what, from }) => `${what} from ${from}`))].join(', '),
  }),
  reason: ({ lost, mends }) =>
    lost && mends.length === 0
      ? 'It was found where the table names nothing, and opens as it is.'
      : 'What has a second copy, or follows from something else, is written again. Nothing is guessed.',
  claims: ({ at, number, lost }, owners) => {
    if (lost) return owners.with(at, number);
    owners.at(at, number);
    return owners;
  },
  touches: ({ at }) => [at],
  hazards: ({ name, mends }) => [...new Set(mends.flatMap((m) => (m.unsure ? [`${name}: ${m.unsure}`] : [])))],
};
