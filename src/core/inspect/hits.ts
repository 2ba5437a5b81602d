/** What lies on places of a disk that can't be read: files, structures of a volume, or nothing. */
import type { ByteRange, Volume } from '@/core/fs';
import { isCoreError } from '@/core/errors';
import type { Survey } from './survey';
import type { SurveyedVolume } from './survey-volume';

/** A place with what lies on it. Plain data; bytes of the disk. */
export interface Hit {
  readonly start: number;
  readonly end: number;
  /** The volume that it is in, if it is in one. */
  readonly number: number | undefined;
  readonly what: 'file' | 'structure' | 'free space' | 'unallocated' | 'not known';
  /** Of a file. */
  readonly path?: string;
}

/**
 * Every place, split where what lies on it changes.
 * @param open gives the volume of a number, or undefined where it can't be opened
 */
export async function hitsOf(
  survey: Survey,
  places: readonly ByteRange[],
  open: (number: number) => Promise<Volume | undefined>,
): Promise<Hit[]> {
  const out: Hit[] = [];
  let outside = [...places];
  for (const volume of survey.volumes) {
    const end = volume.start + volume.length;
    const inside = outside.flatMap((p) => clipped(p, volume.start, end));
    if (inside.length === 0) continue;
    outside = outside.flatMap((p) => [...clipped(p, 0, volume.start), ...clipped(p, end, Infinity)]);
    out.push(...(await hitsIn(volume, inside, await open(volume.number))));
  }
  out.push(...outside.map(({ start, end }): Hit => ({ start, end, number: undefined, what: 'unallocated' })));
  return out.sort((a, b) => a.start - b.start);
}

const clipped = ({ start, end }: ByteRange, from: number, to: number): ByteRange[] => {
  const [a, b] = [Math.max(start, from), Math.min(end, to)];
  return a < b ? [{ start: a, end: b }] : [];
};

async function hitsIn(
  { number, start: base, allocation }: SurveyedVolume,
  places: readonly ByteRange[],
  volume: Volume | undefined,
): Promise<Hit[]> {
  if (!volume) return places.map(({ start, end }) => ({ start, end, number, what: 'not known' }));
  const own = places.map(({ start, end }) => ({ start: start - base, end: end - base }));
  const out: Hit[] = [];
  const add = ({ start, end }: ByteRange, what: Hit['what'], path?: string): void =>
    void out.push({ start: base + start, end: base + end, number, what, ...(path === undefined ? {} : { path }) });
  let rest: ByteRange[] = own;
  for await (const entry of volume.walk()) {
    if (entry.kind === 'folder' || rest.length === 0) continue;
    for (const run of await runsOf(volume, entry)) {
      const met = rest.flatMap((p) => clipped(p, run.start, run.end));
      if (met.length === 0) continue;
      for (const part of met) add(part, 'file', entry.path);
      rest = rest.flatMap((p) => [...clipped(p, 0, run.start), ...clipped(p, run.end, Infinity)]);
    }
  }
  for (const range of allocation) {
    for (const part of rest.flatMap((p) => clipped(p, range.start, range.end))) add(part, 'structure');
    rest = rest.flatMap((p) => [...clipped(p, 0, range.start), ...clipped(p, range.end, Infinity)]);
    if (rest.length === 0) break;
  }
  for (const part of rest) add(part, 'free space');
  return out;
}

/** Where the content of an entry lies, as far as it goes. */
async function runsOf(volume: Volume, entry: Parameters<Volume['content']>[0]): Promise<ByteRange[]> {
  const out: ByteRange[] = [];
  try {
    for await (const run of volume.content(entry))
      if (run.kind === 'at') out.push({ start: run.offset, end: run.offset + run.length });
  } catch (error) {
    if (!isCoreError(error, 'fs.damaged') && !isCoreError(error, 'device.read-failed')) throw error;
  }
  return out;
}
