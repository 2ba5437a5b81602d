/**
 * Security descriptors of a volume: the stream of $Secure that holds them, and which files have which.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$Secure” and “$SECURITY_DESCRIPTOR”: files of version 3 name a descriptor by
 * its id, older ones carry their own; every block of 256 KiB of the stream stands twice.
 */
import type { BlockDevice } from '@/core/device';
import { sameBytes } from '@/core/bytes';
import { readAcross } from './across';
import type { NtfsGeometry } from './boot-sector';
import type { Mft } from './mft';
import { TYPE } from './record';

const SECURE = 9;
const BLOCK = 0x40000;
const HEAD = 20;
const LONGEST = 64 * 1024;
const MOST_BYTES = 256 * 1024 * 1024;

export class SecurityDescriptors {
  private constructor(private readonly byId: ReadonlyMap<number, Uint8Array>) {}

  /** None where the stream is missing or makes no sense. @throws CoreError `device.read-failed` */
  static async read(device: BlockDevice, g: NtfsGeometry, mft: Mft): Promise<SecurityDescriptors> {
    const stream = mft.files.get(SECURE)?.streams.find((s) => s.type === TYPE.data && s.name === '$SDS');
    const byId = new Map<number, Uint8Array>();
    const size = Math.min(stream?.size ?? 0, MOST_BYTES);
    for (let start = 0; start < size; start += 2 * BLOCK) {
      const block = await readAcross(device, stream!.runs, g.clusterSize, start, Math.min(BLOCK, size - start));
      takeBlock(block, start, byId);
    }
    return new SecurityDescriptors(byId);
  }

  get(id: number): Uint8Array | undefined {
    return this.byId.get(id);
  }

  /** The id of a descriptor that is there. */
  idOf(descriptor: Uint8Array): number | undefined {
    for (const [id, own] of this.byId) if (sameBytes(own, descriptor)) return id;
    return undefined;
  }
}

function takeBlock(block: Uint8Array, start: number, into: Map<number, Uint8Array>): void {
  const view = new DataView(block.buffer, block.byteOffset, block.length);
  for (let at = 0; at + HEAD <= block.length;) {
    const length = view.getUint32(at + 16, true);
    const here = view.getBigUint64(at + 8, true) === BigInt(start + at);
    if (!here || length <= HEAD || length > LONGEST || at + length > block.length) return;
    into.set(view.getUint32(at + 4, true), block.slice(at + HEAD, at + length));
    at = Math.ceil((at + length) / 16) * 16;
  }
}
