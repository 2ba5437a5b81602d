/**
 * Reading every sector of a device. A stretch that can't be read is narrowed down to its sectors, and each is tried again;
 * one that took much longer than its neighbours is narrowed down in the same way, and is slow, not lost.
 */
import type { BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';

/** A half-open range of bytes. */
export interface Stretch {
  readonly start: number;
  readonly end: number;
}

/** What a scan tells as it goes. `faults` can't be read at all, `slow` at a further try of the medium. */
export type ScanEvent =
  | { readonly kind: 'read'; readonly start: number; readonly end: number; readonly seconds: number }
  | { readonly kind: 'fault' | 'slow'; readonly start: number; readonly end: number };

export interface ScanOptions {
  /** Seconds on a clock that only goes on: the machine's, or what a medium would have taken. */
  readonly clock: () => number;
  readonly signal?: AbortSignal;
}

const TRIES = 3;
const LEAST_PIECE = 4 * 1024 * 1024;
/** While nothing is known of a medium yet. */
const FIRST_PIECE = 1024 * 1024;
const MOST_PIECE = 64 * 1024 * 1024;
/** As many pieces as tell the course of a disk. */
const PIECES = 8192;
/** What a piece may take longer than its neighbours: so many times as long, and so many seconds more. */
const SLOW_TIMES = 2;
const SLOW_SECONDS = 0.75;
/** Before anything is known of a medium: slower than any that is sound. Seconds, and bytes a second. */
const UNKNOWN_SECONDS = 2;
const UNKNOWN_SPEED = 4_000_000;
const REMEMBERED = 32;
const ENOUGH_KNOWN = 8;

/** Bytes that are read at a time on a device of a size. */
export function pieceFor(size: number): number {
  const wanted = 2 ** Math.ceil(Math.log2(Math.max(1, size / PIECES)));
  return Math.min(MOST_PIECE, Math.max(LEAST_PIECE, wanted));
}

/**
 * Reads the stretches in order.
 * @throws what is no failing to read, and the signal's reason when aborted
 */
export async function* scan(
  device: BlockDevice,
  stretches: readonly Stretch[],
  options: ScanOptions,
): AsyncGenerator<ScanEvent> {
  yield* new Scan(device, options).run(stretches);
}

class Scan {
  /** Seconds a byte that the last sound pieces took. */
  readonly #recent: number[] = [];

  constructor(
    private readonly device: BlockDevice,
    private readonly options: ScanOptions,
  ) {}

  async *run(stretches: readonly Stretch[]): AsyncGenerator<ScanEvent> {
    const piece = pieceFor(this.device.size);
    for (const { start, end } of stretches)
      for (let at = start; at < end;) {
        // What is usual is found out in short pieces.
        const step = this.#recent.length < ENOUGH_KNOWN ? FIRST_PIECE : piece;
        const next = Math.min(end, (Math.floor(at / step) + 1) * step);
        yield* this.#piece(at, next);
        at = next;
      }
  }

  async *#piece(start: number, end: number): AsyncGenerator<ScanEvent> {
    const { seconds, failed } = await this.#read(start, end);
    if (failed) {
      yield* joined(this.#faultsIn(start, end), 'fault');
      yield { kind: 'read', start, end, seconds };
      return;
    }
    if (this.#isSlow(seconds, end - start)) yield* joined(this.#slowIn(start, end), 'slow');
    else this.#remember(seconds / (end - start));
    yield { kind: 'read', start, end, seconds };
  }

  async #read(start: number, end: number): Promise<{ seconds: number; failed: boolean }> {
    const { clock, signal } = this.options;
    signal?.throwIfAborted();
    const from = clock();
    try {
      await this.device.verify(start, end - start);
      return { seconds: clock() - from, failed: false };
    } catch (error) {
      if (!isCoreError(error, 'device.read-failed')) throw error;
      return { seconds: clock() - from, failed: true };
    }
  }

  #isSlow(seconds: number, length: number): boolean {
    if (seconds < SLOW_SECONDS) return false;
    const sorted = [...this.#recent].sort((a, b) => a - b);
    const usual = sorted[Math.floor(sorted.length / 2)];
    if (usual === undefined) return seconds > UNKNOWN_SECONDS + length / UNKNOWN_SPEED;
    return seconds > SLOW_SECONDS + SLOW_TIMES * usual * length;
  }

  #remember(perByte: number): void {
    this.#recent.push(perByte);
    if (this.#recent.length > REMEMBERED) this.#recent.shift();
  }

  #halves(start: number, end: number): readonly (readonly [number, number])[] {
    const { sectorSize } = this.device;
    const middle = start + Math.ceil((end - start) / 2 / sectorSize) * sectorSize;
    return [
      [start, middle],
      [middle, end],
    ];
  }

  /** Sectors of a stretch that fails which fail by themselves, however often they are asked. */
  async *#faultsIn(start: number, end: number): AsyncGenerator<Stretch> {
    if (end - start <= this.device.sectorSize) {
      for (let n = 1; n < TRIES; n++) if (!(await this.#read(start, end)).failed) return;
      yield { start, end };
      return;
    }
    for (const [from, to] of this.#halves(start, end))
      if ((await this.#read(from, to)).failed) yield* this.#faultsIn(from, to);
  }

  /** Sectors of a stretch that is slow which are slow by themselves; one may fail by now. */
  async *#slowIn(start: number, end: number): AsyncGenerator<Stretch> {
    if (end - start <= this.device.sectorSize) {
      yield { start, end };
      return;
    }
    for (const [from, to] of this.#halves(start, end)) {
      const { seconds, failed } = await this.#read(from, to);
      if (failed || this.#isSlow(seconds, to - from)) yield* this.#slowIn(from, to);
    }
  }
}

/** Neighbours as one. */
async function* joined(parts: AsyncIterable<Stretch>, kind: 'fault' | 'slow'): AsyncGenerator<ScanEvent> {
  let last: { start: number; end: number } | undefined;
  for await (const part of parts) {
    if (last?.end === part.start) last.end = part.end;
    else {
      if (last) yield { kind, ...last };
      last = { ...part };
    }
  }
  if (last) yield { kind, ...last };
}
