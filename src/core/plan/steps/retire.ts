/**
 * Takes failing places of a volume out of use, before anything else comes there; or places that will fail where the volume
 * is carried to, before it goes.
 */
import { totalOf, type ByteRange } from '@/core/fs';
import type { Place } from '@/core/place';
import { formatSize, spaced } from '@/core/size';
import * as z from 'zod';
import { baseShape, byteCount, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface RetireStep extends StepBase {
  readonly kind: 'retire';
  readonly at: Place;
  /** Bytes of the volume. */
  readonly places: readonly ByteRange[];
  /** They fail where the volume comes to. */
  readonly ahead?: true;
}

export const retire: StepKind<RetireStep> = {
  restarts: true,
  schema: z.strictObject({
    kind: z.literal('retire'),
    ...baseShape,
    at: herePlaceSchema,
    places: z.array(z.strictObject({ start: byteCount, end: byteCount })).max(100_000),
    ahead: z.literal(true).optional(),
  }),
  words: ({ name, places, ahead }, units) => {
    const bytes = formatSize(totalOf(places), units);
    const what = ahead ? 'place' : 'failing place';
    const many = places.length === 1 ? `a ${what}` : `${spaced(places.length)} ${what}s`;
    return {
      title: ahead ? `Clear ${many} in ${name}` : `Take ${many} of ${name} out of use`,
      detail: `${bytes}: what lies there goes elsewhere, and the clusters are marked as bad`,
    };
  },
  reason: ({ ahead }) =>
    ahead
      ? 'Where it goes these places can’t be written. Nothing is on them by then, so nothing has to be.'
      : 'What lies there can be read by now, and nothing comes there any more.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
};
