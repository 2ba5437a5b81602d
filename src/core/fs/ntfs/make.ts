/**
 * A new NTFS volume, version 3.1, with all files of the system. The same options give the same bytes.
 *
 * Linux-NTFS “NTFS Documentation”, chapters on each system file. Structures go straight to the disk, since none of it
 * is live; the boot sector is gathered, so that there is no volume before there is a whole one. The journal is left
 * filled with ones, which a system takes for new.
 */
import { isZeros } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { MakeOptions, Transaction } from '../port';
import { setBits } from '../bitmap';
import { buildAttributeDefinitions } from './attribute-definitions';
import { BOOT, OEM_NAME, serialFrom } from './boot-sector';
import { buildRecord } from './build-record';
import { clusterSizesFor, defaultClusterSize, normaliseNtfsLabel } from './kinds';
import { planNewVolume, type NewExtent, type NewVolumePlan } from './make-plan';
import { SystemFiles } from './system-files';
import { buildUpcase } from '../case-table';

const PUT_CHUNK = 64 * 1024;
const CLEAR_CHUNK = 8 * 1024 * 1024;

/** Makes a volume as large as `device`. @throws CoreError `fs.cluster-size` or `fs.label` */
export async function makeNtfs(device: BlockDevice, options: MakeOptions, tx: Transaction): Promise<void> {
  const { size, sectorSize } = device;
  const valid = clusterSizesFor(size, sectorSize);
  const clusterSize = options.clusterSize ?? defaultClusterSize(size, sectorSize);
  if (clusterSize === undefined || !valid.includes(clusterSize)) {
    const reason = valid.length > 0 ? `it can be ${valid.join(', ')}` : 'the volume is too small or too large for NTFS';
    throw new CoreError('fs.cluster-size', { fileSystem: 'NTFS', clusterSize: clusterSize ?? 0, size, reason });
  }
  const label = normaliseNtfsLabel(options.label);
  const plan = planNewVolume(size, sectorSize, clusterSize);
  if (options.format === 'full')
    for (let at = 0; at < size; at += CLEAR_CHUNK) await tx.clearFree(at, Math.min(CLEAR_CHUNK, size - at));
  await new NewVolume(plan, label, options).write(tx);
}

class NewVolume {
  readonly #files: SystemFiles;

  constructor(
    private readonly plan: NewVolumePlan,
    label: string,
    private readonly options: MakeOptions,
  ) {
    this.#files = new SystemFiles(plan, label);
  }

  async write(tx: Transaction): Promise<void> {
    const { plan } = this;
    const upcase = buildUpcase();
    await this.#put(tx, plan.log, new Uint8Array(plan.log.size).fill(0xff));
    await this.#put(tx, plan.definitions, buildAttributeDefinitions());
    await this.#put(tx, plan.upcase, new Uint8Array(upcase.buffer));
    await this.#put(tx, plan.security, this.#files.security.bytes);
    await this.#put(tx, plan.bitmap, this.#bitmap());
    await this.#put(tx, plan.mftBitmap, this.#mftBitmap());
    await this.#put(tx, plan.rootIndex, this.#files.rootBlock());
    const table = this.#table();
    await this.#put(tx, plan.mft, table);
    await this.#put(tx, plan.mirror, table.slice(0, plan.mirror.size));
    const boot = this.#boot();
    await this.#put(tx, plan.boot, new Uint8Array(plan.boot.size));
    await tx.writeFree(plan.totalSectors * plan.sectorSize, boot);
    await tx.write(0, boot);
  }

  /** Writes an extent's clusters whole, padded with zeros. */
  async #put(tx: Transaction, extent: NewExtent, bytes: Uint8Array): Promise<void> {
    const room = extent.clusters * this.plan.clusterSize;
    const offset = extent.lcn * this.plan.clusterSize;
    await tx.clearFree(offset, room);
    // A bitmap of a large volume is nearly all zeros, which are there already.
    for (let at = 0; at < bytes.length; at += PUT_CHUNK) {
      const part = bytes.subarray(at, at + PUT_CHUNK);
      if (!isZeros(part)) await tx.writeFree(offset + at, part);
    }
  }

  #bitmap(): Uint8Array {
    const { plan } = this;
    const out = new Uint8Array(plan.bitmap.size);
    const mark = (from: number, to: number): void => {
      for (let c = from; c < to; c++) out[c >> 3]! |= 1 << (c & 7);
    };
    for (const extent of plan.extents) mark(extent.lcn, extent.lcn + extent.clusters);
    // Bits behind the last cluster are set, so that nobody takes them for free.
    mark(plan.clusterCount, out.length * 8);
    return out;
  }

  /** Records 0 to 15 and those of $Extend are in use, the rest of the table is free. */
  #mftBitmap(): Uint8Array {
    const out = new Uint8Array(this.plan.mftBitmap.size);
    out.set([0xff, 0xff]);
    for (const number of this.#files.beyond) setBits(out, number, number + 1, true);
    return out;
  }

  #table(): Uint8Array {
    const { plan } = this;
    const out = new Uint8Array(plan.mft.size);
    for (let number = 0; number < plan.mft.size / plan.recordSize; number++) {
      out.set(buildRecord(this.#files.record(number), plan.recordSize), number * plan.recordSize);
    }
    return out;
  }

  #boot(): Uint8Array {
    const { plan, options } = this;
    const sector = new Uint8Array(plan.sectorSize);
    const perCluster = plan.clusterSize / plan.sectorSize;
    const inClusters = (bytes: number): number =>
      bytes >= plan.clusterSize ? bytes / plan.clusterSize : 256 - Math.log2(bytes);
    BOOT.encode(
      {
        jump: Uint8Array.of(0xeb, 0x52, 0x90),
        oemName: OEM_NAME,
        bytesPerSector: plan.sectorSize,
        sectorsPerCluster: perCluster <= 128 ? perCluster : 256 - Math.log2(perCluster),
        media: 0xf8,
        sectorsPerTrack: 63,
        heads: 255,
        hiddenSectors: options.startLba,
        signature80: 0x00800080,
        totalSectors: BigInt(plan.totalSectors),
        mftLcn: BigInt(plan.mft.lcn),
        mirrorLcn: BigInt(plan.mirror.lcn),
        clustersPerRecord: inClusters(plan.recordSize),
        clustersPerIndex: inClusters(plan.indexSize),
        serial: serialFrom(options.serial),
        signature: 0xaa55,
      },
      sector,
    );
    // Code that asks the firmware to try the next disk (INT 18h) and then waits.
    sector.set([0xcd, 0x18, 0xf4, 0xeb, 0xfd], 0x54);
    return sector;
  }
}
