/** Takes a folder away, or everything on a volume, after it was compared at its new place. */
import { partSchema, type Part } from '@/core/files';
import { kindFacts } from '@/core/fs';
import { isHere, type Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { filesWords } from '../words';
import {
  baseShape,
  byteCount,
  placeSchema,
  linkSchema,
  lossSchema,
  type LeftLink,
  type Loss,
  type StepBase,
  type StepKind,
} from './step-kind';
import { partWords } from './transfer';

export interface ClearStep extends StepBase {
  readonly kind: 'clear';
  readonly at: Place;
  readonly folder: string;
  /** What of it, where not all goes at a time; the last part goes with the folder. */
  readonly part?: Part;
  /** What is left in its place, and of which kind the volume is. */
  readonly link?: LeftLink;
  readonly fileSystem: string;
  /** What could not be kept at the new place, and is nowhere any more. */
  readonly loses?: Loss;
  readonly files: number;
  readonly bytes: number;
}

export const clear: StepKind<ClearStep> = {
  schema: z.strictObject({
    kind: z.literal('clear'),
    ...baseShape,
    at: placeSchema,
    folder: z.string().max(40_000),
    part: partSchema.optional(),
    link: linkSchema.optional(),
    fileSystem: z.string().max(20),
    loses: lossSchema.optional(),
    files: byteCount,
    bytes: byteCount,
  }),
  words: ({ name, folder, part, files, bytes, link }, units) => ({
    title: `Take ${partWords(folder, part)} away from ${name}${link ? `, a link to ${link.volume} stays` : ''}`,
    detail: `${filesWords(files)}, ${formatSize(bytes, units)}, compared at their new place`,
  }),
  reason: () => 'It was found at its new place, file by file.',
  claims: ({ at }, owners) => {
    owners.at(at);
    return owners;
  },
  touches: ({ at }) => [at],
  reads: ({ at }) => (isHere(at) ? [] : [at.disk]),
  hazards: ({ at, name, folder, fileSystem, link }) => {
    const written = isHere(at)
      ? []
      : [
          `${name} is written too: ${folder || 'everything'} is taken away there. Keep both disks at hand until the run is over.`,
        ];
    const making = link && kindFacts(fileSystem).holds.linkTo;
    if (making?.by !== 'label') return written;
    const leads = making.words(link!.volume, link!.path);
    return [
      ...written,
      `The link that stays at ${folder} on ${name} leads to ${leads}: have ${link!.volume} mounted there.`,
    ];
  },
};
