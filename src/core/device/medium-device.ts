/**
 * A practice medium: what it would really take, counted while it is used, with sectors that are read slowly and sectors
 * that can't be read at all. It can be made to take that long.
 */
import { CoreError } from '@/core/errors';
import { BlockDevice, type SourceRun } from './block-device';

/** What a medium does: bytes a second, and seconds to get from one place to another. */
export interface MediumModel {
  readonly read: number;
  readonly write: number;
  readonly seek: number;
  /**
   * How much faster its start is than its middle, as a share, and its end slower: the outer tracks of a platter pass more
   * bytes in a turn than the inner ones.
   */
  readonly slope?: number;
  /** Byte ranges, half-open. */
  readonly weak: readonly { readonly start: number; readonly end: number }[];
  readonly dead: readonly { readonly start: number; readonly end: number }[];
}

/** Seconds that a stretch with weak sectors costs more: the medium tries again and again. */
const WEAK_SECONDS = 2.5;
/** What is owed is waited for in pieces no shorter than this. */
const LEAST_WAIT_MS = 30;

export class MediumDevice extends BlockDevice {
  /** Seconds that a real medium would have taken so far. */
  seconds = 0;
  /** How much faster than the real medium it is, 0 for as fast as can be. */
  pace = 0;
  #owedMs = 0;
  #head = 0;

  constructor(
    private readonly inner: BlockDevice,
    private readonly model: MediumModel,
  ) {
    super();
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  /** One that takes the time of a real medium copies as that would. */
  override get refers(): boolean {
    return this.pace === 0 && this.inner.refers;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    this.#assertAlive(offset, into.length);
    await this.#spend(offset, into.length, this.model.read);
    await this.inner.read(offset, into);
  }

  /** What the medium would take is all that is to be known of it: its content is in memory, or made. */
  protected override async verifyAt(offset: number, length: number): Promise<void> {
    this.#assertAlive(offset, length);
    await this.#spend(offset, length, this.model.read);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    await this.#spend(offset, from.length, this.model.write);
    await this.inner.write(offset, from);
  }

  protected override async copyAt(from: number, to: number, length: number): Promise<void> {
    this.#assertAlive(from, length);
    await this.#spend(from, length, this.model.read);
    await this.#spend(to, length, this.model.write);
    await this.inner.copy(from, to, length);
  }

  protected override async discardAt(offset: number, length: number): Promise<void> {
    await this.#spend(offset, length, this.model.write);
    await this.inner.discard(offset, length);
  }

  protected override placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    return this.inner.place(offset, length, seed, at);
  }

  /** Content whose source is known is not read again, but a real medium would have to. */
  protected override sourcesAt(offset: number, length: number): SourceRun[] | undefined {
    if (overlaps(this.model.dead, offset, length)) return undefined;
    const sources = this.inner.sources(offset, length);
    if (sources) this.#count(offset, length, this.model.read);
    return sources;
  }

  override occupied(start?: number, end?: number): Generator<{ start: number; end: number }> {
    return this.inner.occupied(start, end);
  }

  override flush(): Promise<void> {
    return this.inner.flush();
  }

  #assertAlive(offset: number, length: number): void {
    if (overlaps(this.model.dead, offset, length)) throw new CoreError('device.read-failed', { offset, length });
  }

  #count(offset: number, length: number, rate: number): number {
    const far = offset === this.#head ? 0 : this.model.seek;
    const weak = overlaps(this.model.weak, offset, length) ? WEAK_SECONDS : 0;
    const { slope = 0 } = this.model;
    const here = rate * (1 + slope * (1 - (2 * (offset + length / 2)) / this.size));
    const seconds = length / here + far + weak;
    this.#head = offset + length;
    this.seconds += seconds;
    return seconds;
  }

  async #spend(offset: number, length: number, rate: number): Promise<void> {
    const seconds = this.#count(offset, length, rate);
    if (this.pace === 0) return;
    this.#owedMs += (seconds * 1000) / this.pace;
    if (this.#owedMs < LEAST_WAIT_MS) return;
    const wait = this.#owedMs;
    this.#owedMs = 0;
    await new Promise((resolve) => setTimeout(resolve, wait));
  }
}

function overlaps(ranges: MediumModel['weak'], offset: number, length: number): boolean {
  return ranges.some((r) => r.start < offset + length && offset < r.end);
}
