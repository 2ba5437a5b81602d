/** Takes failing places of a volume out of use, before anything else comes there. */
import type { ByteRange } from '@/core/fs';
import type { Place } from '@/core/place';
import { formatSize, spaced } from '@/core/size';
import * as z from 'zod';
import { baseShape, byteCount, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface RetireStep extends StepBase {
  readonly kind: 'retire';
  readonly at: Place;
  /** Bytes of the volume. */
  readonly places: readonly ByteRange[];
}

export const retire: StepKind<RetireStep> = {
  restarts: true,
  schema: z.strictObject({
    kind: z.literal('retire'),
    ...baseShape,
    at: herePlaceSchema,
    places: z.array(z.strictObject({ start: byteCount, end: byteCount })).max(100_000),
  }),
  words: ({ name, places }, units) => {
    const bytes = places.reduce((sum, p) => sum + (p.end - p.start), 0);
    const many = places.length === 1 ? 'a failing place' : `${spaced(places.length)} failing places`;
    return {
      title: `Take ${many} of ${name} out of use`,
      detail: `${formatSize(bytes, units)}: what lies there goes elsewhere, and the clusters are marked as bad`,
    };
  },
  reason: () => 'What lies there can be read by now, and nothing comes there any more.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
};
