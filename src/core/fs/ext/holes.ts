/** Content with stretches of zeros, of which whole blocks need no room. */
import type { ContentRun, NewContent } from '../port';

type From = Extract<NewContent, { kind: 'from' }>;

/** A stretch of content that needs room, in blocks, with its runs. */
export interface Stretch {
  readonly logical: number;
  readonly blocks: number;
  readonly content: From;
}

/** What is decoded is not gathered beyond this; it is written as it comes. */
const MOST_IN_HAND = 1024 * 1024;

const lengthOf = (run: ContentRun): number => (run.kind === 'bytes' ? run.bytes.length : run.length);

async function* chained(first: readonly ContentRun[], rest: AsyncIterator<ContentRun>): AsyncGenerator<ContentRun> {
  yield* first;
  for (let next = await rest.next(); !next.done; next = await rest.next()) yield next.value;
}

async function* each(runs: readonly ContentRun[]): AsyncGenerator<ContentRun> {
  yield* runs;
}

/** The stretches that need room, or all of it as it was given where it would have to be held in hand. */
export async function stretchesOf(content: From, blockSize: number): Promise<readonly Stretch[]> {
  const iterator = content.runs[Symbol.asyncIterator]();
  const runs: ContentRun[] = [];
  let inHand = 0;
  const whole = Math.ceil(content.size / blockSize);
  for (let next = await iterator.next(); !next.done; next = await iterator.next()) {
    runs.push(next.value);
    if (next.value.kind === 'bytes') inHand += next.value.bytes.length;
    if (inHand > MOST_IN_HAND)
      return [{ logical: 0, blocks: whole, content: { ...content, runs: chained(runs, iterator) } }];
  }
  return cut(content, runs, blockSize);
}

function cut(content: From, runs: readonly ContentRun[], blockSize: number): Stretch[] {
  const out: Stretch[] = [];
  let own: ContentRun[] = [];
  let start = 0;
  let at = 0;
  const close = (end: number): void => {
    const size = end - start;
    if (size > 0)
      out.push({
        logical: start / blockSize,
        blocks: Math.ceil(size / blockSize),
        content: { ...content, size, runs: each(own) },
      });
    own = [];
  };
  for (const run of runs) {
    const length = lengthOf(run);
    const end = at + length;
    const first = Math.ceil(at / blockSize) * blockSize;
    // The last block of a file may be a hole as a whole, however much of it there is.
    const last = end >= content.size ? end : Math.floor(end / blockSize) * blockSize;
    if (run.kind === 'zeros' && last - first >= blockSize) {
      if (first > at) own.push({ kind: 'zeros', length: first - at });
      close(first);
      start = last;
      if (end > last) own.push({ kind: 'zeros', length: end - last });
    } else own.push(run);
    at = end;
  }
  close(content.size);
  return out;
}
