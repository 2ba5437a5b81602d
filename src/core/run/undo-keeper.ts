/** Keeping what a run overwrites, before it is overwritten. */
import { crc32 } from '@/core/bytes';
import { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { HERE, type DiskId } from '@/core/place';
import { chained, keyOf, readUndo, UNIT, type KeptPlace, type UndoState, type UndoStore } from './undo';

/** What is kept of the disks of one run, in the order in which they are written. */
export class UndoKeeper {
  readonly #kept: Set<string>;
  readonly #devices = new Map<DiskId, BlockDevice>();
  #appended: number;
  #chain: number;

  private constructor(
    private readonly store: UndoStore,
    { kept, chain }: Pick<UndoState, 'kept' | 'chain'>,
  ) {
    this.#kept = new Set(kept.map(keyOf));
    this.#appended = kept.length;
    this.#chain = chain;
  }

  /** For a way back that is begun in `store` before the first write. */
  static fresh(store: UndoStore): UndoKeeper {
    return new UndoKeeper(store, { kept: [], chain: 0 });
  }

  /**
   * Goes on with a way back; stretches that `store` holds from before are not kept again.
   * @throws CoreError `journal.foreign` when the store is not the way back from this run, `run.rewinding`
   */
  static async open(store: UndoStore, run: string): Promise<UndoKeeper> {
    const state = await readUndo(store);
    if (state?.run !== run)
      throw new CoreError('journal.foreign', { reason: 'the way back beside it is of another run' });
    if (state.rewinding) throw new CoreError('run.rewinding', {});
    return new UndoKeeper(store, state);
  }

  /** A disk whose every write goes by this keeper. */
  over(inner: BlockDevice, disk: DiskId = HERE): BlockDevice {
    this.#devices.set(disk, inner);
    return new UndoDevice(inner, (offset, length) => this.#keep(disk, inner, offset, length));
  }

  async #keep(disk: DiskId, inner: BlockDevice, offset: number, length: number): Promise<void> {
    const fresh: KeptPlace[] = [];
    for (let at = Math.floor(offset / UNIT) * UNIT; at < offset + length; at += UNIT)
      if (!this.#kept.has(keyOf({ disk, offset: at }))) fresh.push({ disk, offset: at });
    if (fresh.length === 0) return;
    for (const place of fresh) {
      const bytes = await inner.bytes(place.offset, Math.min(UNIT, inner.size - place.offset));
      const chain = chained(this.#chain, place);
      const of = disk === HERE ? {} : { disk };
      await this.store.append({ kind: 'kept', index: this.#appended, offset: place.offset, ...of, chain }, bytes);
      this.#appended += 1;
      this.#chain = chain;
    }
    // Only what is durable counts as kept: after a failure the next write keeps it anew, and the first one counts.
    await this.store.flush();
    for (const place of fresh) this.#kept.add(keyOf(place));
  }

  /** Notes how the run left what it changed, so that a later change by somebody else is noticed. */
  async noteLeft(): Promise<void> {
    const { kept, left } = (await readUndo(this.store))!;
    if (left) return;
    const sums = new Uint32Array(kept.length);
    for (const [i, { disk, offset }] of kept.entries()) {
      const device = this.#devices.get(disk)!;
      sums[i] = crc32(await device.bytes(offset, Math.min(UNIT, device.size - offset)));
    }
    await this.store.append({ kind: 'left' }, new Uint8Array(sums.buffer));
    await this.store.flush();
  }
}

/** A device that has what it overwrites kept. Reads and barriers pass through. */
class UndoDevice extends BlockDevice {
  constructor(
    private readonly inner: BlockDevice,
    private readonly keep: (offset: number, length: number) => Promise<void>,
  ) {
    super();
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.inner.read(offset, into);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    await this.keep(offset, from.length);
    await this.inner.write(offset, from);
  }

  override flush(): Promise<void> {
    return this.inner.flush();
  }
}
