/**
 * A device whose bytes are references until somebody writes them: an extent map over a background, stored pages for
 * what was written. Copies move references, never bytes. {@link SparseDevice} and {@link OverlayDevice} are made of it.
 */
import { BlockDevice, type SourceRun } from './block-device';
import { ExtentMap, STORED, ZEROS, type Extent, type ExtentEdit } from './extent-map';
import { PAGE_BYTES, PageCache } from './page-cache';

export abstract class MappedDevice extends BlockDevice {
  protected readonly map = new ExtentMap();

  protected constructor(protected readonly pages: PageCache) {
    super();
  }

  override get refers(): boolean {
    return true;
  }

  /** Reads bytes that no extent covers. */
  protected abstract readBackground(offset: number, into: Uint8Array): Promise<void>;
  /** Reads from an origin that is neither stored nor zeros. */
  protected abstract readOrigin(origin: number, at: number, into: Uint8Array): Promise<void>;
  /** Sees whether what {@link readBackground} would read can be read; made-up content always can. */
  protected async verifyBackground(_offset: number, _length: number): Promise<void> {}
  /** The same of {@link readOrigin}. */
  protected async verifyOrigin(_origin: number, _at: number, _length: number): Promise<void> {}
  /** What a copy of an uncovered range refers to: an origin whose positions are the device's own, or none for zeros. */
  protected abstract readonly backgroundOrigin: number | undefined;

  /** Told of every change to the map, so that a persistent device can keep it. */
  protected edited(_edit: ExtentEdit): void {}

  protected apply(edit: ExtentEdit): void {
    this.map.apply(edit);
    this.edited(edit);
  }

  /** The range in pieces, the uncovered ones as undefined. */
  protected *pieces(start: number, end: number): Generator<{ start: number; end: number; extent?: Extent }> {
    let at = start;
    for (const extent of this.map.within(start, end)) {
      if (extent.start > at) yield { start: at, end: extent.start };
      yield { start: extent.start, end: extent.end, extent };
      at = extent.end;
    }
    if (at < end) yield { start: at, end };
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    // Listed first, here and below: something else may be written before all of it has come.
    for (const { start, end, extent } of [...this.pieces(offset, offset + into.length)]) {
      const part = into.subarray(start - offset, end - offset);
      if (!extent) await this.readBackground(start, part);
      else if (extent.origin === STORED) await this.#readPages(start, part);
      else if (extent.origin === ZEROS) part.fill(0);
      else await this.readOrigin(extent.origin, extent.at, part);
    }
  }

  protected override async verifyAt(offset: number, length: number): Promise<void> {
    for (const { start, end, extent } of [...this.pieces(offset, offset + length)]) {
      if (!extent) await this.verifyBackground(start, end - start);
      else if (extent.origin === STORED) await super.verifyAt(start, end - start);
      else if (extent.origin !== ZEROS) await this.verifyOrigin(extent.origin, extent.at, end - start);
    }
  }

  async #readPages(offset: number, into: Uint8Array): Promise<void> {
    for (let done = 0; done < into.length;) {
      const index = Math.floor((offset + done) / PAGE_BYTES);
      const inPage = offset + done - index * PAGE_BYTES;
      const length = Math.min(into.length - done, PAGE_BYTES - inPage);
      const page = this.pages.ready(index) ?? (await this.pages.fetch(index));
      into.set(page.subarray(inPage, inPage + length), done);
      done += length;
    }
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    for (let done = 0; done < from.length;) {
      const index = Math.floor((offset + done) / PAGE_BYTES);
      const inPage = offset + done - index * PAGE_BYTES;
      const length = Math.min(from.length - done, PAGE_BYTES - inPage);
      const page = this.pages.ready(index) ?? (await this.pages.load(index));
      page.set(from.subarray(done, done + length), inPage);
      this.pages.touched(index);
      done += length;
    }
    this.apply({ start: offset, end: offset + from.length, origin: STORED, at: offset });
  }

  protected override async copyAt(from: number, to: number, length: number): Promise<void> {
    for (const { start, end, extent } of [...this.pieces(from, from + length)]) {
      const target = to + (start - from);
      const size = end - start;
      if (extent?.origin === STORED) await super.copyAt(start, target, size);
      else if (extent && extent.origin !== ZEROS) this.#refer(target, size, extent.origin, extent.at);
      else if (!extent && this.backgroundOrigin !== undefined) this.#refer(target, size, this.backgroundOrigin, start);
      else await this.discardAt(target, size);
    }
  }

  #refer(start: number, length: number, origin: number, at: number): void {
    this.apply({ start, end: start + length, origin, at });
  }

  protected override async discardAt(offset: number, length: number): Promise<void> {
    this.apply({ start: offset, end: offset + length, origin: ZEROS, at: offset });
  }

  /** The procedural stream behind an origin at a position, if it is one. */
  protected abstract sourceOf(origin: number | undefined, at: number, length: number): SourceRun[] | undefined;

  protected override sourcesAt(offset: number, length: number): SourceRun[] | undefined {
    const out: SourceRun[] = [];
    for (const { start, end, extent } of this.pieces(offset, offset + length)) {
      if (extent && (extent.origin === STORED || extent.origin === ZEROS)) return undefined;
      const runs = this.sourceOf(extent?.origin, extent?.at ?? start, end - start);
      if (!runs) return undefined;
      out.push(...runs);
    }
    return out;
  }
}
