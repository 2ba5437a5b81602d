/** Stored pages of a mapped device: dirty ones are held until kept, clean ones as long as there is room. */
import { CoreError } from '@/core/errors';

/** Bytes a page. A storage name depends on it: a stored overlay can't be read with another. */
export const PAGE_BYTES = 64 * 1024;

const CLEAN_LIMIT = 1024;

/** Fetches a page that was kept before; the caller owns the returned buffer. */
export type PageLoader = (index: number) => Promise<Uint8Array | undefined>;

export class PageCache {
  readonly #pages = new Map<number, Uint8Array>();
  #dirty = new Set<number>();

  /** With no loader every page stays in memory. */
  constructor(private readonly loader?: PageLoader) {}

  /** The page if it is at hand. */
  ready(index: number): Uint8Array | undefined {
    return this.#pages.get(index);
  }

  /** The page, fetched or new and zeroed. */
  async load(index: number): Promise<Uint8Array> {
    return this.#keep(index, (await this.loader?.(index)) ?? new Uint8Array(PAGE_BYTES));
  }

  /** A page that was written before. @throws CoreError `storage.lost` when it is not there any more */
  async fetch(index: number): Promise<Uint8Array> {
    const kept = await this.loader?.(index);
    if (!kept && !this.#pages.has(index)) throw new CoreError('storage.lost', { what: 'What was changed on the disk' });
    return this.#keep(index, kept!);
  }

  #keep(index: number, fetched: Uint8Array): Uint8Array {
    // It may have been written while it was fetched.
    const page = this.#pages.get(index) ?? fetched;
    this.#pages.set(index, page);
    this.#trim();
    return page;
  }

  touched(index: number): void {
    this.#dirty.add(index);
  }

  get dirtyCount(): number {
    return this.#dirty.size;
  }

  /** The dirty pages, which stay dirty until {@link kept}. */
  dirtyPages(): [number, Uint8Array][] {
    return [...this.#dirty].map((index) => [index, this.#pages.get(index)!]);
  }

  /** Marks all pages clean: they are stored elsewhere now. */
  kept(): void {
    this.#dirty = new Set();
  }

  clear(): void {
    this.#pages.clear();
    this.#dirty.clear();
  }

  #trim(): void {
    if (!this.loader || this.#pages.size - this.#dirty.size <= CLEAN_LIMIT) return;
    for (const index of this.#pages.keys()) {
      if (this.#dirty.has(index)) continue;
      this.#pages.delete(index);
      if (this.#pages.size - this.#dirty.size <= CLEAN_LIMIT / 2) return;
    }
  }
}
