/** What every change to an NTFS volume works from. */
import type { BlockDevice } from '@/core/device';
import type { NtfsGeometry } from './boot-sector';
import type { Mft } from './mft';

export interface ChangeInput {
  readonly device: BlockDevice;
  readonly geometry: NtfsGeometry;
  /** The boot sector. */
  readonly boot: Uint8Array;
  readonly mft: Mft;
  /** The cluster bitmap, a bit a cluster. */
  readonly bitmap: Uint8Array;
}
