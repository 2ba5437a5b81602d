/** A volume as it will be: what was gathered for it lies over what is there. */
import { BlockDevice } from '@/core/device';
import type { Transaction } from './port';

export class GatheredDevice extends BlockDevice {
  constructor(
    private readonly tx: Transaction,
    readonly size: number,
    readonly sectorSize: number,
  ) {
    super();
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.tx.read(offset, into);
  }

  /** @throws RangeError always: what is written goes through the transaction */
  protected override writeAt(): Promise<void> {
    throw new RangeError('what is gathered is only read');
  }
}
