/** A device in memory that stores only what was written; procedural content is kept as references. */
import type { SourceRun } from './block-device';
import { MappedDevice } from './mapped-device';
import { PageCache } from './page-cache';
import { fillProcedural } from './procedural';

export class SparseDevice extends MappedDevice {
  protected readonly backgroundOrigin = undefined;

  constructor(
    readonly size: number,
    readonly sectorSize = 512,
  ) {
    super(new PageCache());
  }

  protected async readBackground(_offset: number, into: Uint8Array): Promise<void> {
    into.fill(0);
  }

  protected async readOrigin(origin: number, at: number, into: Uint8Array): Promise<void> {
    fillProcedural(origin, at, into);
  }

  protected override async placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    this.apply({ start: offset, end: offset + length, origin: seed, at });
  }

  /** Uncovered ranges read as zeros already, so they need no extent. */
  protected override async discardAt(offset: number, length: number): Promise<void> {
    this.apply({ start: offset, end: offset + length, origin: undefined, at: offset });
  }

  protected sourceOf(origin: number | undefined, at: number, length: number): SourceRun[] | undefined {
    return origin === undefined ? undefined : [{ seed: origin, at, length }];
  }

  override *occupied(start = 0, end = this.size): Generator<{ start: number; end: number }> {
    for (const extent of this.map.within(start, end)) yield { start: extent.start, end: extent.end };
  }
}
