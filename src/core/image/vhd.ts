/**
 * VHD images, fixed and dynamic: read where they are, and written with empty space left out (“Virtual Hard Disk Image
 * Format Specification” 1.0; all numbers are big-endian). Images that build on a parent are refused.
 */
import type { BlockDevice } from '@/core/device';
import { bytesAt, eachBlock, keepFew, MOST_TABLE_BYTES, refuseImage, storedRanges, textOf } from './blocks';
import type { ByteSource } from './image-device';
import { storedBlocks } from './stored-blocks';

const SECTOR = 512;
const FOOTER_COOKIE = 'conectix';
const HEADER_COOKIE = 'cxsparse';
const HEADER_BYTES = 1024;
const UNUSED = 0xffffffff;
const FIXED = 2;
const DYNAMIC = 3;
const KINDS: Readonly<Record<number, string>> = { 4: 'it builds on another image' };
const CACHED_BITMAPS = 64;

/** “Hard Disk Footer Format”, Checksum: the ones’ complement of the sum of all bytes, without those of itself. */
function checksum(bytes: Uint8Array, at: number): number {
  let sum = 0;
  for (const [i, byte] of bytes.entries()) if (i < at || i >= at + 4) sum += byte;
  return ~sum >>> 0;
}

interface Footer {
  readonly kind: number;
  readonly size: number;
  /** Where the header of a dynamic one is. */
  readonly header: number;
}

/** A footer, or undefined where there is none that is whole. */
function footerIn(bytes: Uint8Array): Footer | undefined {
  if (textOf(bytes, 8) !== FOOTER_COOKIE) return undefined;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  if (view.getUint32(64) !== checksum(bytes, 64)) return undefined;
  return { kind: view.getUint32(60), size: Number(view.getBigUint64(48)), header: Number(view.getBigUint64(16)) };
}

async function lastFooter(source: ByteSource): Promise<Footer | undefined> {
  if (source.size < SECTOR) return undefined;
  const bytes = new Uint8Array(SECTOR);
  await source.read(source.size - SECTOR, bytes);
  return footerIn(bytes);
}

/** Whether what has no mark at its beginning is a fixed VHD: the disk itself, with a footer behind it. */
export async function isFixedVhd(source: ByteSource): Promise<boolean> {
  const footer = await lastFooter(source);
  return footer?.kind === FIXED && footer.size === source.size - SECTOR;
}

/** @throws CoreError `image.container` */
export async function openVhd(source: ByteSource): Promise<ByteSource> {
  const { name } = source;
  // The footer counts; its copy at the beginning of a dynamic one stands in for it.
  const footer = (await lastFooter(source)) ?? footerIn(await bytesAt(source, 0, SECTOR, 'its footer'));
  if (!footer) return refuseImage(name, 'its footer and the copy of it are damaged');
  const { kind, size, header } = footer;
  if (!Number.isSafeInteger(size) || size <= 0) return refuseImage(name, 'its size makes no sense');
  if (kind === FIXED) return new Cut(source, size);
  if (kind !== DYNAMIC) return refuseImage(name, KINDS[kind] ?? `it is of kind ${kind}`);
  const bytes = await bytesAt(source, header, HEADER_BYTES, 'its header');
  const view = new DataView(bytes.buffer);
  if (textOf(bytes, 8) !== HEADER_COOKIE || view.getUint32(36) !== checksum(bytes, 36))
    return refuseImage(name, 'its header is damaged');
  const [entries, blockSize] = [view.getUint32(28), view.getUint32(32)];
  const fits = blockSize >= SECTOR && Number.isInteger(Math.log2(blockSize)) && entries * 4 <= MOST_TABLE_BYTES;
  if (!fits || entries * blockSize < size) return refuseImage(name, 'its table makes no sense');
  const table = await bytesAt(source, Number(view.getBigUint64(16)), entries * 4, 'its table');
  return new DynamicVhd(source, size, blockSize, new DataView(table.buffer));
}

/** A file without what stands behind the disk in it. */
class Cut implements ByteSource {
  readonly name: string;

  constructor(
    private readonly source: ByteSource,
    readonly size: number,
  ) {
    this.name = source.name;
    if (size > source.size) refuseImage(source.name, 'it is shorter than it says');
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return this.source.read(offset, into);
  }
}

class DynamicVhd implements ByteSource {
  readonly name: string;
  /** Sectors of each block that were written, before its data, in whole sectors. */
  readonly #bitmapBytes: number;
  readonly #bitmaps = new Map<number, Uint8Array>();

  constructor(
    private readonly source: ByteSource,
    readonly size: number,
    private readonly blockSize: number,
    private readonly table: DataView,
  ) {
    this.name = source.name;
    this.#bitmapBytes = Math.ceil(blockSize / SECTOR / 8 / SECTOR) * SECTOR;
  }

  *occupied(): Generator<{ start: number; end: number }> {
    const { blockSize, size, table } = this;
    yield* storedRanges(Math.ceil(size / blockSize), (b) => table.getUint32(b * 4) !== UNUSED, blockSize, size);
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return eachBlock(offset, into, this.blockSize, async (block, at, part) => {
      const place = this.table.getUint32(block * 4);
      if (place === UNUSED) return void part.fill(0);
      const bitmap = await this.#bitmap(block, place * SECTOR);
      const data = place * SECTOR + this.#bitmapBytes;
      // The last block of a file may be cut where nothing was written.
      const there = Math.max(0, Math.min(part.length, this.source.size - data - at));
      if (there > 0) await this.source.read(data + at, part.subarray(0, there));
      part.fill(0, there);
      forgetUnwritten(bitmap, at, part);
    });
  }

  async #bitmap(block: number, offset: number): Promise<Uint8Array> {
    const known = this.#bitmaps.get(block);
    if (known) return known;
    const bytes = await bytesAt(this.source, offset, this.#bitmapBytes, 'a block');
    keepFew(this.#bitmaps, block, bytes, CACHED_BITMAPS);
    return bytes;
  }
}

/** “Sector bitmap”: a sector whose bit is not set was never written, and reads as zeros. */
function forgetUnwritten(bitmap: Uint8Array, at: number, part: Uint8Array): void {
  for (let from = 0; from < part.length;) {
    const sector = Math.floor((at + from) / SECTOR);
    const end = Math.min(part.length, (sector + 1) * SECTOR - at);
    if ((bitmap[sector >> 3]! & (0x80 >> (sector & 7))) === 0) part.fill(0, from, end);
    from = end;
  }
}

const OUT_BLOCK = 2 * 1024 * 1024;
const OUT_BITMAP = OUT_BLOCK / SECTOR / 8;
/** Seconds from 1970 to 2000, which times here count from. */
const EPOCH = 946_684_800;

/** “CHS Calculation”, appendix: cylinders, heads and sectors that old systems are told. */
function geometry(size: number): [cylinders: number, heads: number, sectors: number] {
  const total = Math.min(Math.floor(size / SECTOR), 65_535 * 16 * 255);
  if (total >= 65_535 * 16 * 63) return [Math.floor(total / 255 / 16), 16, 255];
  let sectors = 17;
  let tracks = Math.floor(total / sectors);
  let heads = Math.max(4, Math.floor((tracks + 1023) / 1024));
  if (tracks >= heads * 1024 || heads > 16) {
    [sectors, heads] = [31, 16];
    tracks = Math.floor(total / sectors);
  }
  if (tracks >= heads * 1024) {
    [sectors, heads] = [63, 16];
    tracks = Math.floor(total / sectors);
  }
  return [Math.floor(tracks / heads), heads, sectors];
}

/** What an image is made with beside the disk: an identity of its own, and the time in seconds since 1970. */
export interface ImageStamp {
  readonly id: Uint8Array;
  readonly seconds: number;
}

function footerOf(size: number, { id, seconds }: ImageStamp): Uint8Array {
  const out = new Uint8Array(SECTOR);
  const view = new DataView(out.buffer);
  putText(out, 0, FOOTER_COOKIE);
  view.setUint32(8, 2);
  view.setUint32(12, 0x00010000);
  view.setBigUint64(16, BigInt(SECTOR));
  view.setUint32(24, Math.max(0, Math.floor(seconds) - EPOCH));
  putText(out, 28, 'ullg');
  view.setUint32(32, 0x00010000);
  view.setBigUint64(40, BigInt(size));
  view.setBigUint64(48, BigInt(size));
  const [cylinders, heads, sectors] = geometry(size);
  view.setUint16(56, cylinders);
  view.setUint8(58, heads);
  view.setUint8(59, sectors);
  view.setUint32(60, DYNAMIC);
  out.set(id, 68);
  view.setUint32(64, checksum(out, 64));
  return out;
}

function putText(out: Uint8Array, at: number, text: string): void {
  for (let i = 0; i < text.length; i++) out[at + i] = text.charCodeAt(i);
}

/** A device as a dynamic VHD, from its start to its end; only blocks that hold anything but zeros are stored. */
export async function* exportVhd(device: BlockDevice, stamp: ImageStamp): AsyncGenerator<Uint8Array> {
  const { size } = device;
  const stored = await storedBlocks(device, OUT_BLOCK);
  const entries = Math.ceil(size / OUT_BLOCK);
  const tableBytes = Math.ceil((entries * 4) / SECTOR) * SECTOR;
  const dataAt = SECTOR + HEADER_BYTES + tableBytes;
  const footer = footerOf(size, stamp);
  yield footer.slice();
  const header = new Uint8Array(HEADER_BYTES);
  const view = new DataView(header.buffer);
  putText(header, 0, HEADER_COOKIE);
  view.setBigUint64(8, 0xffffffffffffffffn);
  view.setBigUint64(16, BigInt(SECTOR + HEADER_BYTES));
  view.setUint32(24, 0x00010000);
  view.setUint32(28, entries);
  view.setUint32(32, OUT_BLOCK);
  view.setUint32(36, checksum(header, 36));
  yield header;
  const table = new Uint8Array(tableBytes).fill(0xff);
  const tableView = new DataView(table.buffer);
  stored.forEach((block, i) => tableView.setUint32(block * 4, (dataAt + i * (OUT_BITMAP + OUT_BLOCK)) / SECTOR));
  yield table;
  for (const block of stored) {
    const bytes = new Uint8Array(OUT_BITMAP + OUT_BLOCK).fill(0xff, 0, OUT_BITMAP);
    const offset = block * OUT_BLOCK;
    await device.read(offset, bytes.subarray(OUT_BITMAP, OUT_BITMAP + Math.min(OUT_BLOCK, size - offset)));
    yield bytes;
  }
  yield footer;
}
