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
import {
  buildIndexBlock,
  buildIndexRoot,
  buildRecord,
  referenceTo,
  toUtf16,
  type NewAttribute,
  type NewIndexEntry,
  type NewRecord,
} from './build-record';
import { BY_ULONG, extendFiles, type ExtendFile } from './extend';
import { clusterSizesFor, defaultClusterSize, normaliseNtfsLabel } from './kinds';
import { planNewVolume, type NewExtent, type NewVolumePlan } from './make-plan';
import { FLAG, TYPE } from './record';
import { HOLE } from './runlist';
import { buildSecurity, SECURITY_ID } from './security';
import { buildUpcase } from '../case-table';

const ROOT = 5;
const EXTEND = 11;
const HIDDEN_SYSTEM = 0x06;
const FOLDER_FLAG = 0x10000000;
const VIEW_FLAG = 0x20000000;
/** Marks of records: one with views, and one of the system's that is not in the first records. */
const VIEW_RECORD = 0x08;
const EXTENDED_RECORD = 0x04;
const WIN32_AND_DOS = 3;
const BY_NAME = 1;
const BY_HASH = 0x12;
const PUT_CHUNK = 64 * 1024;
const CLEAR_CHUNK = 8 * 1024 * 1024;
/** 2000-01-01 in hundreds of nanoseconds since 1601: a plan has no clock, and the same options give the same bytes. */
const MADE_AT = 125911584000000000n;

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
  readonly #security = buildSecurity();
  readonly #extended = extendFiles(MADE_AT);

  constructor(
    private readonly plan: NewVolumePlan,
    private readonly label: string,
    private readonly options: MakeOptions,
  ) {}

  async write(tx: Transaction): Promise<void> {
    const { plan } = this;
    const upcase = buildUpcase();
    await this.#put(tx, plan.log, new Uint8Array(plan.log.size).fill(0xff));
    await this.#put(tx, plan.definitions, buildAttributeDefinitions());
    await this.#put(tx, plan.upcase, new Uint8Array(upcase.buffer));
    await this.#put(tx, plan.security, this.#security.bytes);
    await this.#put(tx, plan.bitmap, this.#bitmap());
    await this.#put(tx, plan.mftBitmap, this.#mftBitmap());
    await this.#put(tx, plan.rootIndex, this.#rootBlock());
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
    for (const { number } of this.#extended) setBits(out, number, number + 1, true);
    return out;
  }

  #table(): Uint8Array {
    const { plan } = this;
    const out = new Uint8Array(plan.mft.size);
    for (let number = 0; number < plan.mft.size / plan.recordSize; number++) {
      const record = this.#record(number);
      out.set(buildRecord(record, plan.recordSize), number * plan.recordSize);
    }
    return out;
  }

  #record(number: number): NewRecord {
    const system = this.#systemFile(number) ?? this.#extendedFile(number);
    if (system) return system;
    if (number >= 16) return { number, sequence: 1, flags: 0, links: 0, attributes: [] };
    const attributes = [this.#standard(SECURITY_ID.system), { type: TYPE.data, value: new Uint8Array() }];
    return { number, sequence: number, flags: FLAG.inUse, links: 0, attributes };
  }

  #systemFile(number: number): NewRecord | undefined {
    const content = this.#contents(number);
    const name = SYSTEM_NAMES[number];
    if (!content || name === undefined) return undefined;
    const folder = number === ROOT || number === EXTEND;
    const view = number === 9 ? VIEW_RECORD : 0;
    const security = number === ROOT ? SECURITY_ID.open : SECURITY_ID.system;
    return {
      number,
      sequence: Math.max(number, 1),
      flags: FLAG.inUse | (folder ? FLAG.folder : 0) | view,
      links: 1,
      attributes: [
        this.#standard(security),
        { type: TYPE.fileName, value: this.#fileName(number), indexed: true },
        ...content,
      ],
    };
  }

  #extendedFile(number: number): NewRecord | undefined {
    const file = this.#extended.find((f) => f.number === number);
    if (!file) return undefined;
    const views = file.views.map(({ name, collation, entries }): NewAttribute => {
      return { type: TYPE.indexRoot, name, value: buildIndexRoot(this.#shape(0, collation), entries) };
    });
    return {
      number,
      sequence: 1,
      flags: FLAG.inUse | VIEW_RECORD | EXTENDED_RECORD,
      links: 1,
      attributes: [
        this.#standard(SECURITY_ID.system),
        { type: TYPE.fileName, value: this.#extendedName(file), indexed: true },
        ...views,
      ],
    };
  }

  #extendedName({ name }: ExtendFile): Uint8Array {
    return this.#nameOf(name, referenceTo(EXTEND, EXTEND), VIEW_FLAG);
  }

  #extendAttributes(): NewAttribute[] {
    const entries = [...this.#extended]
      .sort((a, b) => (a.name.toUpperCase() < b.name.toUpperCase() ? -1 : 1))
      .map((file): NewIndexEntry => ({ head: referenceHead(file.number, 1), key: this.#extendedName(file) }));
    const value = buildIndexRoot(this.#shape(TYPE.fileName, BY_NAME), entries);
    return [{ type: TYPE.indexRoot, name: '$I30', value }];
  }

  #contents(number: number): NewAttribute[] | undefined {
    const { plan } = this;
    switch (number) {
      case 0:
        return [stored(plan, plan.mft), { ...stored(plan, plan.mftBitmap), type: TYPE.bitmap }];
      case 1:
        return [stored(plan, plan.mirror)];
      case 2:
        return [stored(plan, plan.log)];
      case 3:
        return this.#volumeAttributes();
      case 4:
        return [stored(plan, plan.definitions)];
      case ROOT:
        return this.#rootAttributes();
      case 6:
        return [stored(plan, plan.bitmap)];
      case 7:
        return [stored(plan, plan.boot)];
      case 8:
        return this.#badClusterAttributes();
      case 9:
        return this.#securityAttributes();
      case 10:
        return [stored(plan, plan.upcase)];
      case EXTEND:
        return this.#extendAttributes();
      default:
        return undefined;
    }
  }

  #volumeAttributes(): NewAttribute[] {
    const information = new Uint8Array(12);
    information.set([3, 1], 8);
    return [
      { type: TYPE.volumeName, value: toUtf16(this.label) },
      { type: TYPE.volumeInformation, value: information },
      { type: TYPE.data, value: new Uint8Array() },
    ];
  }

  #rootAttributes(): NewAttribute[] {
    const { plan } = this;
    const first = new Uint8Array(8);
    first[0] = 1;
    return [
      { type: TYPE.indexRoot, name: '$I30', value: buildIndexRoot(this.#shape(TYPE.fileName, BY_NAME), 'in block 0') },
      { ...stored(plan, plan.rootIndex), type: TYPE.indexAllocation, name: '$I30' },
      { type: TYPE.bitmap, name: '$I30', value: first },
    ];
  }

  #badClusterAttributes(): NewAttribute[] {
    const { clusterCount, clusterSize } = this.plan;
    const size = clusterCount * clusterSize;
    const hole = {
      type: TYPE.data,
      name: '$Bad',
      runs: [{ lcn: HOLE, length: clusterCount }],
      allocated: size,
      size,
      initialised: 0,
    };
    return [{ type: TYPE.data, value: new Uint8Array() }, hole];
  }

  #securityAttributes(): NewAttribute[] {
    const { plan } = this;
    return [
      { ...stored(plan, plan.security), name: '$SDS' },
      { type: TYPE.indexRoot, name: '$SDH', value: buildIndexRoot(this.#shape(0, BY_HASH), this.#security.byHash) },
      { type: TYPE.indexRoot, name: '$SII', value: buildIndexRoot(this.#shape(0, BY_ULONG), this.#security.byId) },
    ];
  }

  #shape(type: number, collation: number) {
    const { indexSize, clusterSize } = this.plan;
    // With clusters larger than a block, blocks are counted in 512 bytes.
    const clustersPerBlock = clusterSize <= indexSize ? indexSize / clusterSize : indexSize / 512;
    return { type, collation, blockSize: indexSize, clustersPerBlock };
  }

  #standard(securityId: number): NewAttribute {
    const value = new Uint8Array(72);
    const view = new DataView(value.buffer);
    for (let i = 0; i < 4; i++) view.setBigUint64(i * 8, MADE_AT, true);
    view.setUint32(32, HIDDEN_SYSTEM, true);
    view.setUint32(52, securityId, true);
    return { type: TYPE.standardInformation, value };
  }

  #fileName(number: number): Uint8Array {
    const folder = number === ROOT || number === EXTEND ? FOLDER_FLAG : number === 9 ? VIEW_FLAG : 0;
    return this.#nameOf(SYSTEM_NAMES[number]!, referenceTo(ROOT, ROOT), folder, this.#extentOf(number));
  }

  #nameOf(text: string, parent: bigint, kind: number, extent?: NewExtent): Uint8Array {
    const name = toUtf16(text);
    const value = new Uint8Array(66 + name.length);
    const view = new DataView(value.buffer);
    view.setBigUint64(0, parent, true);
    for (let i = 1; i <= 4; i++) view.setBigUint64(i * 8, MADE_AT, true);
    view.setBigUint64(40, BigInt((extent?.clusters ?? 0) * this.plan.clusterSize), true);
    view.setBigUint64(48, BigInt(extent?.size ?? 0), true);
    view.setUint32(56, HIDDEN_SYSTEM | kind, true);
    value[64] = text.length;
    value[65] = WIN32_AND_DOS;
    value.set(name, 66);
    return value;
  }

  #extentOf(number: number): NewExtent | undefined {
    const { plan } = this;
    const extents = [
      plan.mft,
      plan.mirror,
      plan.log,
      undefined,
      plan.definitions,
      undefined,
      plan.bitmap,
      plan.boot,
      undefined,
      undefined,
      plan.upcase,
    ];
    return extents[number];
  }

  #rootBlock(): Uint8Array {
    const entries = SYSTEM_NAMES.map((name, number): { name: string; entry: NewIndexEntry } => {
      return { name, entry: { head: referenceHead(number, Math.max(number, 1)), key: this.#fileName(number) } };
    });
    entries.sort((a, b) => (a.name.toUpperCase() < b.name.toUpperCase() ? -1 : 1));
    return buildIndexBlock(
      this.plan.indexSize,
      0,
      entries.map((e) => e.entry),
    );
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

/** The head of an entry in a folder. */
function referenceHead(number: number, sequence: number): Uint8Array {
  const head = new Uint8Array(8);
  new DataView(head.buffer).setBigUint64(0, referenceTo(number, sequence), true);
  return head;
}

/** Names of the system's files by record number. */
const SYSTEM_NAMES = [
  '$MFT',
  '$MFTMirr',
  '$LogFile',
  '$Volume',
  '$AttrDef',
  '.',
  '$Bitmap',
  '$Boot',
  '$BadClus',
  '$Secure',
  '$UpCase',
  '$Extend',
];

function stored(plan: NewVolumePlan, { lcn, clusters, size }: NewExtent) {
  return { type: TYPE.data as number, runs: [{ lcn, length: clusters }], allocated: clusters * plan.clusterSize, size };
}
