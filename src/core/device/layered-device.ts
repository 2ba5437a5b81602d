/** A disk in layers: each an overlay over the one below, and only the topmost is written. Taking it off puts the disk back. */
import { BlockDevice, type SourceRun } from './block-device';
import type { OverlayDevice } from './overlay-device';

export class LayeredDevice extends BlockDevice {
  readonly #layers: OverlayDevice[];

  /** @param layers the lowest first, each over the one before it; at least one */
  constructor(layers: readonly [OverlayDevice, ...OverlayDevice[]]) {
    super();
    this.#layers = [...layers];
  }

  get top(): OverlayDevice {
    return this.#layers.at(-1)!;
  }

  get size(): number {
    return this.top.size;
  }

  get sectorSize(): number {
    return this.top.sectorSize;
  }

  /** Lays another one on top. */
  push(layer: OverlayDevice): void {
    this.#layers.push(layer);
  }

  /** Takes the topmost off. The lowest one stays. */
  pop(): void {
    if (this.#layers.length === 1) throw new RangeError('the lowest layer stays');
    this.#layers.pop();
  }

  /** Puts one layer in the place of the lowest ones; it reads as the last of them did. */
  replaceLowest(count: number, layer: OverlayDevice): void {
    const above = this.#layers[count];
    above?.standOn(layer);
    this.#layers.splice(0, count, layer);
  }

  /** The layers, the lowest first. */
  get layers(): readonly OverlayDevice[] {
    return this.#layers;
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.top.read(offset, into);
  }

  protected override writeAt(offset: number, from: Uint8Array): Promise<void> {
    return this.top.write(offset, from);
  }

  protected override verifyAt(offset: number, length: number): Promise<void> {
    return this.top.verify(offset, length);
  }

  override get refers(): boolean {
    return this.top.refers;
  }

  protected override copyAt(from: number, to: number, length: number): Promise<void> {
    return this.top.copy(from, to, length);
  }

  protected override discardAt(offset: number, length: number): Promise<void> {
    return this.top.discard(offset, length);
  }

  protected override placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    return this.top.place(offset, length, seed, at);
  }

  protected override sourcesAt(offset: number, length: number): SourceRun[] | undefined {
    return this.top.sources(offset, length);
  }

  override occupied(start?: number, end?: number): Generator<{ start: number; end: number }> {
    return this.top.occupied(start, end);
  }

  override flush(): Promise<void> {
    return this.top.flush();
  }
}
