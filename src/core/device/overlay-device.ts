/**
 * Copy-on-write over a device that is never written. Copies of what the base holds are references into it, which stay
 * true because the base does not change; so carrying data costs no space and hardly any time.
 *
 * With a store the overlay survives: {@link OverlayDevice.flush} keeps all changes since the last one in one atomic,
 * durable commit. Between flushes changes may also be kept early, in the order they were made.
 */
import { BlockDevice, type SourceRun } from './block-device';
import { STORED, ZEROS, type Extent, type ExtentEdit } from './extent-map';
import { MappedDevice } from './mapped-device';
import { PageCache } from './page-cache';
import { fillProcedural } from './procedural';

/** What one commit of an overlay adds. Pages are borrowed for the call. */
export interface OverlayChange {
  readonly pages: readonly (readonly [number, Uint8Array])[];
  readonly edits: readonly ExtentEdit[];
}

/** Where an overlay is kept. */
export interface OverlayStore {
  /** The edits of all commits in order. */
  edits(): Promise<readonly ExtentEdit[]>;
  page(index: number): Promise<Uint8Array | undefined>;
  /** Atomic and durable. @throws CoreError `storage.full` */
  commit(change: OverlayChange): Promise<void>;
  /** Replaces the kept edits by fewer that come to the same. */
  compact(extents: readonly Extent[]): Promise<void>;
  clear(): Promise<void>;
}

/** The origin of bytes of the base. */
const BASE = 0;
/** Origins from here on are procedural streams, by their seeds of 32 bits. */
const PROCEDURAL = 2 ** 32;
const EARLY_COMMIT_PAGES = 1024;
const MERGE_CHUNK = 4 * 1024 * 1024;
const COMPACT_AFTER_EDITS = 50_000;

/** A stretch with where its bytes come from: an origin of an overlay, at a place of it. */
interface LayeredRun {
  readonly start: number;
  readonly end: number;
  readonly origin: number;
  readonly at: number;
  readonly from: OverlayDevice;
}

export class OverlayDevice extends MappedDevice {
  readonly size: number;
  readonly sectorSize: number;
  protected readonly backgroundOrigin = BASE;
  #edits: ExtentEdit[] = [];
  #kept = 0;

  private constructor(
    private base: BlockDevice,
    private readonly store: OverlayStore | undefined,
  ) {
    super(new PageCache(store ? (index) => store.page(index) : undefined));
    this.size = base.size;
    this.sectorSize = base.sectorSize;
  }

  /** The base with whatever `store` holds on top. */
  static async open(base: BlockDevice, store?: OverlayStore): Promise<OverlayDevice> {
    const overlay = new OverlayDevice(base, store);
    const edits = store ? await store.edits() : [];
    for (const edit of edits) overlay.map.apply(edit);
    overlay.#kept = edits.length;
    return overlay;
  }

  /** Whether anything differs from the base, by reference. */
  get touched(): boolean {
    return !this.map.all().next().done;
  }

  protected readBackground(offset: number, into: Uint8Array): Promise<void> {
    return this.base.read(offset, into);
  }

  protected async readOrigin(origin: number, at: number, into: Uint8Array): Promise<void> {
    if (origin >= PROCEDURAL) fillProcedural(origin - PROCEDURAL, at, into);
    else await this.base.read(at, into);
  }

  protected override verifyBackground(offset: number, length: number): Promise<void> {
    return this.base.verify(offset, length);
  }

  protected override async verifyOrigin(origin: number, at: number, length: number): Promise<void> {
    if (origin < PROCEDURAL) await this.base.verify(at, length);
  }

  protected override async placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    this.apply({ start: offset, end: offset + length, origin: PROCEDURAL + (seed >>> 0), at });
  }

  protected sourceOf(origin: number | undefined, at: number, length: number): SourceRun[] | undefined {
    return origin !== undefined && origin >= PROCEDURAL
      ? [{ seed: origin - PROCEDURAL, at, length }]
      : this.base.sources(at, length);
  }

  protected override edited(edit: ExtentEdit): void {
    if (!this.store) return;
    const last = this.#edits.at(-1);
    if (
      last &&
      last.origin === edit.origin &&
      last.end === edit.start &&
      last.at + (last.end - last.start) === edit.at
    ) {
      this.#edits[this.#edits.length - 1] = { ...last, end: edit.end };
    } else this.#edits.push(edit);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    await super.writeAt(offset, from);
    if (this.store && this.pages.dirtyCount >= EARLY_COMMIT_PAGES) await this.#commit();
  }

  override async flush(): Promise<void> {
    if (this.store && (this.#edits.length > 0 || this.pages.dirtyCount > 0)) await this.#commit();
  }

  async #commit(): Promise<void> {
    const store = this.store!;
    await store.commit({ pages: this.pages.dirtyPages(), edits: this.#edits });
    this.pages.kept();
    this.#kept += this.#edits.length;
    this.#edits = [];
    if (this.#kept < COMPACT_AFTER_EDITS) return;
    const extents = [...this.map.all()];
    if (extents.length < this.#kept / 2) await store.compact(extents);
    this.#kept = extents.length;
  }

  override *occupied(start = 0, end = this.size): Generator<{ start: number; end: number }> {
    for (const piece of this.pieces(start, end)) {
      if (!piece.extent) yield* this.base.occupied(piece.start, piece.end);
      else if (piece.extent.origin !== ZEROS) yield { start: piece.start, end: piece.end };
    }
  }

  /** Stands on another base from now on, which reads as the one before did. */
  standOn(base: BlockDevice): void {
    this.base = base;
  }

  /**
   * Makes everything that this overlay and those below it have changed on `bottom`, on which the lowest of them stands, a
   * change of `into`, which stands on that too and has none yet. Bytes are copied only where they are stored.
   */
  async mergeInto(into: OverlayDevice, bottom: BlockDevice): Promise<void> {
    for (const run of this.#runs(0, this.size, 0, bottom)) {
      const length = run.end - run.start;
      if (run.origin === STORED)
        for (let done = 0; done < length; done += MERGE_CHUNK) {
          const size = Math.min(MERGE_CHUNK, length - done);
          await into.write(run.start + done, await run.from.bytes(run.at + done, size));
        }
      else
        into.apply({
          start: run.start,
          end: run.end,
          origin: run.origin,
          at: run.origin === ZEROS ? run.start : run.at,
        });
    }
    await into.flush();
  }

  /** What stands at each place of a range, shifted, down to `bottom`; what is there as it was is left out. */
  *#runs(start: number, end: number, shift: number, bottom: BlockDevice): Generator<LayeredRun> {
    for (const piece of this.pieces(start, end)) {
      const { extent } = piece;
      const at = extent?.at ?? piece.start;
      const to = { start: piece.start + shift, end: piece.end + shift };
      if (extent && extent.origin !== BASE) yield { ...to, origin: extent.origin, at, from: this };
      else if (this.base instanceof OverlayDevice && this.base !== bottom)
        yield* this.base.#runs(at, at + (piece.end - piece.start), to.start - at, bottom);
      else if (extent || at !== to.start) yield { ...to, origin: BASE, at, from: this };
    }
  }

  /** Drops every change: the device reads as its base again. */
  async rewind(): Promise<void> {
    await this.store?.clear();
    this.map.clear();
    this.pages.clear();
    this.#edits = [];
    this.#kept = 0;
  }
}
