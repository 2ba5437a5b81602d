/**
 * VHDX images: read where they are, and written with empty space left out ([MS-VHDX] 1.0; numbers are little-endian).
 * Images that build on a parent, or whose log was not gone through, are refused.
 */
import { crc32c, formatGuid, parseGuid } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { bytesAt, eachBlock, MOST_TABLE_BYTES, refuseImage, storedRanges, textOf } from './blocks';
import type { ByteSource } from './image-device';
import { storedBlocks } from './stored-blocks';
import type { ImageStamp } from './vhd';

const KIB = 1024;
const MIB = 1024 * KIB;
/** §2.2: where the headers and the region tables are. */
const HEADERS = [64 * KIB, 128 * KIB] as const;
const REGIONS = [192 * KIB, 256 * KIB] as const;
const HEADER_BYTES = 4 * KIB;
const REGION_BYTES = 64 * KIB;
const MOST_ENTRIES = 2047;
const BAT = '2DC27766-F623-4200-9D64-115E9BFD4A08';
const METADATA = '8B7CA206-4790-4B9A-B8FE-575F050F886E';
/** §2.6.2: what the metadata say. */
const ITEM = {
  parameters: 'CAA16737-FA36-4D43-B3B6-33F0AA44E76B',
  size: '2FA54224-CD1B-4876-B211-5DBED83BF4B8',
  id: 'BECA12AB-B2E6-4523-93EF-C309E000C746',
  logicalSector: '8141BF1D-A96F-4709-BA47-F233A8FAAB5F',
  physicalSector: 'CDA348C7-445D-4471-9CC9-E9885251C556',
} as const;
/** §2.5.1.1: states of a block. */
const FULLY_PRESENT = 6n;
const PARTIALLY_PRESENT = 7n;
const STATE = 7n;
/** §2.6.2.1: the file builds on another. */
const HAS_PARENT = 2;
/** §2.5: so many sectors have their bits in one block of a bitmap. */
const SECTORS_A_CHUNK = 2 ** 23;

const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.length);

/** §2.2: CRC-32C, complemented in the end. */
const checksum = (bytes: Uint8Array): number => ~crc32c(bytes) >>> 0;

/** §2.2.2 and §2.2.3: over the whole structure, with the checksum itself taken for zeros. */
function isWhole(bytes: Uint8Array, signature: string): boolean {
  if (textOf(bytes, 4) !== signature) return false;
  const plain = bytes.slice();
  plain.fill(0, 4, 8);
  return checksum(plain) === viewOf(bytes).getUint32(4, true);
}

/** @throws CoreError `image.container` */
export async function openVhdx(source: ByteSource): Promise<ByteSource> {
  await assertClosed(source);
  const regions = await regionsOf(source);
  const metadata = await metadataOf(source, regions.get(METADATA));
  const { blockSize, size, sectorSize } = metadata;
  const bat = regions.get(BAT);
  const ratio = (SECTORS_A_CHUNK * sectorSize) / blockSize;
  const blocks = Math.ceil(size / blockSize);
  const entries = blocks + Math.floor((blocks - 1) / ratio);
  if (!bat || entries * 8 > Math.min(bat.length, MOST_TABLE_BYTES))
    return refuseImage(source.name, 'its table makes no sense');
  const table = await bytesAt(source, bat.offset, entries * 8, 'its table');
  return new VhdxSource(source, metadata, ratio, viewOf(table));
}

/** §2.2.2: the header of the two that is whole and newer; its log must have been gone through. */
async function assertClosed(source: ByteSource): Promise<void> {
  const found: DataView[] = [];
  for (const at of HEADERS) {
    const bytes = await bytesAt(source, at, HEADER_BYTES, 'its header');
    if (isWhole(bytes, 'head')) found.push(viewOf(bytes));
  }
  const header = found.sort((a, b) => Number(b.getBigUint64(8, true) - a.getBigUint64(8, true)))[0];
  if (!header) return refuseImage(source.name, 'both its headers are damaged');
  if (header.getUint16(66, true) !== 1) refuseImage(source.name, `it is of version ${header.getUint16(66, true)}`);
  if (header.getBigUint64(48, true) !== 0n || header.getBigUint64(56, true) !== 0n)
    refuseImage(
      source.name,
      'it was not closed by the machine that used it, and its log would have to be gone through first',
    );
}

interface Region {
  readonly offset: number;
  readonly length: number;
}

async function regionsOf(source: ByteSource): Promise<Map<string, Region>> {
  for (const at of REGIONS) {
    const bytes = await bytesAt(source, at, REGION_BYTES, 'its region table');
    if (!isWhole(bytes, 'regi')) continue;
    const view = viewOf(bytes);
    const out = new Map<string, Region>();
    for (let i = 0, count = Math.min(MOST_ENTRIES, view.getUint32(8, true)); i < count; i++) {
      const entry = 16 + i * 32;
      const guid = formatGuid(bytes.subarray(entry, entry + 16));
      const required = (view.getUint32(entry + 28, true) & 1) !== 0;
      if (required && guid !== BAT && guid !== METADATA)
        refuseImage(source.name, 'it needs a part that is not known here');
      out.set(guid, { offset: Number(view.getBigUint64(entry + 16, true)), length: view.getUint32(entry + 24, true) });
    }
    return out;
  }
  return refuseImage(source.name, 'both its region tables are damaged');
}

interface Metadata {
  readonly blockSize: number;
  readonly size: number;
  readonly sectorSize: number;
}

async function metadataOf(source: ByteSource, region: Region | undefined): Promise<Metadata> {
  const { name } = source;
  if (!region) return refuseImage(name, 'it has no metadata');
  const table = await bytesAt(source, region.offset, REGION_BYTES, 'its metadata');
  if (textOf(table, 8) !== 'metadata') return refuseImage(name, 'its metadata are damaged');
  const view = viewOf(table);
  const items = new Map<string, DataView>();
  const known = new Set<string>(Object.values(ITEM));
  for (let i = 0, count = Math.min(MOST_ENTRIES, view.getUint16(10, true)); i < count; i++) {
    const entry = 32 + i * 32;
    const guid = formatGuid(table.subarray(entry, entry + 16));
    const [offset, length] = [view.getUint32(entry + 16, true), view.getUint32(entry + 20, true)];
    if (known.has(guid) && length >= 4 && length <= 16)
      items.set(guid, viewOf(await bytesAt(source, region.offset + offset, length, 'its metadata')));
  }
  const [parameters, disk, sector] = [items.get(ITEM.parameters), items.get(ITEM.size), items.get(ITEM.logicalSector)];
  if (!parameters || parameters.byteLength < 8 || !disk || disk.byteLength < 8 || !sector)
    return refuseImage(name, 'its metadata are not whole');
  if ((parameters.getUint32(4, true) & HAS_PARENT) !== 0) refuseImage(name, 'it builds on another image');
  const [blockSize, size, sectorSize] = [
    parameters.getUint32(0, true),
    Number(disk.getBigUint64(0, true)),
    sector.getUint32(0, true),
  ];
  const fits =
    blockSize >= MIB &&
    blockSize <= 256 * MIB &&
    Number.isInteger(Math.log2(blockSize)) &&
    [512, 4096].includes(sectorSize);
  if (!fits || !Number.isSafeInteger(size) || size <= 0) return refuseImage(name, 'its metadata make no sense');
  return { blockSize, size, sectorSize };
}

class VhdxSource implements ByteSource {
  readonly name: string;
  readonly size: number;
  readonly sectorSize: number;
  readonly #blockSize: number;

  constructor(
    private readonly source: ByteSource,
    { size, sectorSize, blockSize }: Metadata,
    /** Blocks whose bits stand in one block of a bitmap, which has an entry of its own behind them. */
    private readonly ratio: number,
    private readonly table: DataView,
  ) {
    this.name = source.name;
    this.size = size;
    this.sectorSize = sectorSize;
    this.#blockSize = blockSize;
  }

  #entry(block: number): bigint {
    return this.table.getBigUint64((block + Math.floor(block / this.ratio)) * 8, true);
  }

  *occupied(): Generator<{ start: number; end: number }> {
    const count = Math.ceil(this.size / this.#blockSize);
    yield* storedRanges(count, (b) => (this.#entry(b) & STATE) >= FULLY_PRESENT, this.#blockSize, this.size);
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return eachBlock(offset, into, this.#blockSize, async (block, at, part) => {
      const entry = this.#entry(block);
      const state = entry & STATE;
      if (state === PARTIALLY_PRESENT) refuseImage(this.name, 'it builds on another image');
      if (state !== FULLY_PRESENT) return void part.fill(0);
      const place = Number(entry >> 20n) * MIB;
      if (place + at + part.length > this.source.size) refuseImage(this.name, 'a block is not in the file');
      await this.source.read(place + at, part);
    });
  }
}

const OUT_BLOCK = MIB;
const LOG_AT = MIB;
const METADATA_AT = 2 * MIB;
const BAT_AT = 3 * MIB;

/** A structure with its signature and checksum. */
function signed(bytes: Uint8Array, signature: string): Uint8Array {
  for (let i = 0; i < signature.length; i++) bytes[i] = signature.charCodeAt(i);
  viewOf(bytes).setUint32(4, 0, true);
  viewOf(bytes).setUint32(4, checksum(bytes), true);
  return bytes;
}

/** A device as a VHDX, from its start to its end; only blocks that hold anything but zeros are stored. */
export async function* exportVhdx(device: BlockDevice, { id }: ImageStamp): AsyncGenerator<Uint8Array> {
  const { size, sectorSize } = device;
  const stored = await storedBlocks(device, OUT_BLOCK);
  const ratio = (SECTORS_A_CHUNK * sectorSize) / OUT_BLOCK;
  const blocks = Math.ceil(size / OUT_BLOCK);
  const entries = blocks + Math.floor((blocks - 1) / ratio);
  const batBytes = Math.ceil((entries * 8) / MIB) * MIB;
  const head = new Uint8Array(MIB);
  putText16(head, 'vhdxfile', 'Ullager');
  for (const [i, at] of HEADERS.entries()) head.set(headerOf(id, i + 1), at);
  const regions = regionTable(batBytes);
  for (const at of REGIONS) head.set(regions, at);
  yield head;
  yield new Uint8Array(METADATA_AT - LOG_AT);
  yield metadataBytes(device, id);
  const bat = new Uint8Array(batBytes);
  const view = viewOf(bat);
  const dataAt = (BAT_AT + batBytes) / MIB;
  stored.forEach((block, i) => {
    const entry = (BigInt(dataAt + i) << 20n) | FULLY_PRESENT;
    view.setBigUint64((block + Math.floor(block / ratio)) * 8, entry, true);
  });
  yield bat;
  for (const block of stored) {
    const bytes = new Uint8Array(OUT_BLOCK);
    const offset = block * OUT_BLOCK;
    await device.read(offset, bytes.subarray(0, Math.min(OUT_BLOCK, size - offset)));
    yield bytes;
  }
}

function putText16(out: Uint8Array, signature: string, creator: string): void {
  for (let i = 0; i < signature.length; i++) out[i] = signature.charCodeAt(i);
  for (let i = 0; i < creator.length; i++) viewOf(out).setUint16(8 + 2 * i, creator.charCodeAt(i), true);
}

function headerOf(id: Uint8Array, sequence: number): Uint8Array {
  const out = new Uint8Array(HEADER_BYTES);
  const view = viewOf(out);
  view.setBigUint64(8, BigInt(sequence), true);
  out.set(id, 16);
  out.set(id, 32);
  view.setUint16(66, 1, true);
  view.setUint32(68, METADATA_AT - LOG_AT, true);
  view.setBigUint64(72, BigInt(LOG_AT), true);
  return signed(out, 'head');
}

function regionTable(batBytes: number): Uint8Array {
  const out = new Uint8Array(REGION_BYTES);
  const view = viewOf(out);
  const all: [string, number, number][] = [
    [BAT, BAT_AT, batBytes],
    [METADATA, METADATA_AT, BAT_AT - METADATA_AT],
  ];
  view.setUint32(8, all.length, true);
  for (const [i, [guid, offset, length]] of all.entries()) {
    const entry = 16 + i * 32;
    out.set(parseGuid(guid), entry);
    view.setBigUint64(entry + 16, BigInt(offset), true);
    view.setUint32(entry + 24, length, true);
    view.setUint32(entry + 28, 1, true);
  }
  return signed(out, 'regi');
}

function metadataBytes({ size, sectorSize }: BlockDevice, id: Uint8Array): Uint8Array {
  const out = new Uint8Array(BAT_AT - METADATA_AT);
  const view = viewOf(out);
  for (let i = 0; i < 8; i++) out[i] = 'metadata'.charCodeAt(i);
  // §2.6.1.2: required, and of the disk where it is not of the file.
  const [file, disk] = [4, 6];
  const items: [string, number, number, (at: number) => void][] = [
    [ITEM.parameters, 8, file, (at) => view.setUint32(at, OUT_BLOCK, true)],
    [ITEM.size, 8, disk, (at) => view.setBigUint64(at, BigInt(size), true)],
    [ITEM.id, 16, disk, (at) => out.set(id, at)],
    [ITEM.logicalSector, 4, disk, (at) => view.setUint32(at, sectorSize, true)],
    [ITEM.physicalSector, 4, disk, (at) => view.setUint32(at, 4096, true)],
  ];
  view.setUint16(10, items.length, true);
  let at = REGION_BYTES;
  for (const [i, [guid, length, flags, put]] of items.entries()) {
    const entry = 32 + i * 32;
    out.set(parseGuid(guid), entry);
    view.setUint32(entry + 16, at, true);
    view.setUint32(entry + 20, length, true);
    view.setUint32(entry + 24, flags, true);
    put(at);
    at += length;
  }
  return out;
}
