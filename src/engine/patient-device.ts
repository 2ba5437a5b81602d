/** A practice disk that lets others have their turn while it is built and looked at. */
import { SparseDevice } from '@/core/device';

export class PatientDevice extends SparseDevice {
  #between: (() => Promise<void>) | undefined;

  /** @param between awaited before each read and each write until the disk is ready */
  constructor(size: number, sectorSize: number, between: () => Promise<void>) {
    super(size, sectorSize);
    this.#between = between;
  }

  /** From now on it waits for nobody. */
  ready(): void {
    this.#between = undefined;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    if (this.#between) await this.#between();
    return super.readAt(offset, into);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    if (this.#between) await this.#between();
    return super.writeAt(offset, from);
  }
}
