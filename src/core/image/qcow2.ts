/**
 * qcow2 images: read where they are, and written with empty space left out.
 *
 * The published layout of versions 2 and 3 (“Qcow2 image file format”, in the documentation of the virtual machine it
 * comes from): a header, a table of tables of clusters, clusters stored, compressed or absent. Images that build on a
 * backing file, that are encrypted, or that need a feature not known here, are refused.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { spaced } from '@/core/size';
import { inflateSync } from 'fflate';
import { eachBlock, keepFew } from './blocks';
import type { ByteSource } from './image-device';
import { storedBlocks } from './stored-blocks';

const MAGIC = 0x514649fb;
const OFFSET_BITS = 0x00fffffffffffe00n;
const COMPRESSED = 1n << 62n;
const COPIED = 1n << 63n;
const READS_AS_ZERO = 1n;
const INCOMPATIBLE_DIRTY = 1n;
const SECTOR = 512;
const MAX_TABLE_BYTES = 64 * 1024 * 1024;
const CACHED_TABLES = 64;
const CACHED_CLUSTERS = 8;
const SNAPSHOT_BYTES = 40;
const MOST_NAMES = 5;
const MOST_NAME_BYTES = 255;

interface Header {
  readonly version: number;
  readonly clusterBits: number;
  readonly size: number;
  readonly l1Entries: number;
  readonly l1Offset: number;
  readonly snapshots: number;
  readonly snapshotsOffset: number;
}

/** @throws CoreError `image.container` */
export async function openQcow2(source: ByteSource): Promise<ByteSource> {
  const header = await readHeader(source);
  const l1 = new Uint8Array(header.l1Entries * 8);
  await source.read(header.l1Offset, l1);
  return new Qcow2Source(source, header, new DataView(l1.buffer), await remarksOn(source, header));
}

async function readHeader(source: ByteSource): Promise<Header> {
  const refuse = (reason: string): never => {
    throw new CoreError('image.container', { name: source.name, reason });
  };
  if (source.size < 104) refuse('its header is cut short');
  const bytes = new Uint8Array(104);
  await source.read(0, bytes);
  const view = new DataView(bytes.buffer);
  const version = view.getUint32(4);
  if (view.getUint32(0) !== MAGIC || (version !== 2 && version !== 3)) refuse(`it is of version ${version}`);
  if (view.getBigUint64(8) !== 0n) refuse('it builds on another image');
  const clusterBits = view.getUint32(20);
  if (clusterBits < 9 || clusterBits > 21) refuse(`its clusters have 2^${clusterBits} bytes`);
  if (view.getUint32(32) !== 0) refuse('it is encrypted');
  const features = version === 3 ? view.getBigUint64(72) : 0n;
  if ((features & ~INCOMPATIBLE_DIRTY) !== 0n) refuse('it needs a feature that is not known here');
  const size = Number(view.getBigUint64(24));
  const l1Entries = view.getUint32(36);
  const l1Offset = Number(view.getBigUint64(40));
  const perTable = 2 ** (clusterBits - 3);
  const needed = Math.ceil(Math.ceil(size / 2 ** clusterBits) / perTable);
  const fits = l1Entries * 8 <= MAX_TABLE_BYTES && l1Offset + l1Entries * 8 <= source.size && l1Entries >= needed;
  if (!Number.isSafeInteger(size) || size === 0 || !fits) refuse('its tables make no sense');
  const [snapshots, snapshotsOffset] = [view.getUint32(60), Number(view.getBigUint64(64))];
  return { version, clusterBits, size, l1Entries, l1Offset, snapshots, snapshotsOffset };
}

/** That there are snapshots, which are earlier states of the disk: what is opened is the disk as it was last. */
async function remarksOn(source: ByteSource, { snapshots, snapshotsOffset }: Header): Promise<Finding[]> {
  if (snapshots === 0) return [];
  const names = await snapshotNames(source, snapshotsOffset, Math.min(snapshots, MOST_NAMES));
  const named = names.length > 0 ? `: ${names.join(', ')}${snapshots > names.length ? ', …' : ''}` : '';
  const many = snapshots === 1 ? 'a snapshot' : `${spaced(snapshots)} snapshots`;
  const message = `The image holds ${many} beside the disk${named}. What is shown, and goes on, is the disk as it was last.`;
  return [{ severity: 'info', code: 'image.snapshots', message }];
}

/** Their names as far as they can be read (“Snapshots” in the document). */
async function snapshotNames(source: ByteSource, offset: number, most: number): Promise<string[]> {
  const out: string[] = [];
  let at = offset;
  const head = new Uint8Array(SNAPSHOT_BYTES);
  while (out.length < most && Number.isSafeInteger(at) && at > 0 && at + SNAPSHOT_BYTES <= source.size) {
    await source.read(at, head);
    const view = new DataView(head.buffer);
    const [idLength, nameLength, extra] = [view.getUint16(12), view.getUint16(14), view.getUint32(36)];
    const from = at + SNAPSHOT_BYTES + extra + idLength;
    if (nameLength === 0 || nameLength > MOST_NAME_BYTES || from + nameLength > source.size) break;
    const name = new Uint8Array(nameLength);
    await source.read(from, name);
    out.push(new TextDecoder().decode(name));
    at += Math.ceil((SNAPSHOT_BYTES + extra + idLength + nameLength) / 8) * 8;
  }
  return out;
}

class Qcow2Source implements ByteSource {
  readonly size: number;
  readonly name: string;
  readonly #clusterSize: number;
  readonly #tables = new Map<number, DataView>();
  readonly #unpacked = new Map<bigint, Uint8Array>();

  constructor(
    private readonly source: ByteSource,
    private readonly header: Header,
    private readonly l1: DataView,
    readonly remarks: readonly Finding[],
  ) {
    this.size = header.size;
    this.name = source.name;
    this.#clusterSize = 2 ** header.clusterBits;
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return eachBlock(offset, into, this.#clusterSize, (cluster, at, part) => this.#readCluster(cluster, at, part));
  }

  async #readCluster(cluster: number, at: number, into: Uint8Array): Promise<void> {
    const entry = await this.#entry(cluster);
    if (entry & COMPRESSED) return void into.set((await this.#inflate(entry)).subarray(at, at + into.length));
    const offset = Number(entry & OFFSET_BITS);
    const zeros = this.header.version === 3 && (entry & READS_AS_ZERO) !== 0n;
    if (offset === 0 || zeros) return void into.fill(0);
    // The last cluster of a file may be cut where nothing was written.
    const there = Math.max(0, Math.min(into.length, this.source.size - offset - at));
    if (there > 0) await this.source.read(offset + at, into.subarray(0, there));
    into.fill(0, there);
  }

  /** The entry of a cluster in its table, or 0 where there is none. */
  async #entry(cluster: number): Promise<bigint> {
    const perTable = this.#clusterSize / 8;
    const index = Math.floor(cluster / perTable);
    const offset = Number(this.l1.getBigUint64(index * 8) & OFFSET_BITS);
    if (offset === 0) return 0n;
    const known = this.#tables.get(index);
    const table = known ?? (await this.#readTable(index, offset));
    return table.getBigUint64((cluster % perTable) * 8);
  }

  async #readTable(index: number, offset: number): Promise<DataView> {
    if (offset + this.#clusterSize > this.source.size) throw this.#damaged('a table of clusters is not in the file');
    const bytes = new Uint8Array(this.#clusterSize);
    await this.source.read(offset, bytes);
    const table = new DataView(bytes.buffer);
    keepFew(this.#tables, index, table, CACHED_TABLES);
    return table;
  }

  async #inflate(entry: bigint): Promise<Uint8Array> {
    const known = this.#unpacked.get(entry);
    if (known) return known;
    const offsetBits = BigInt(62 - (this.header.clusterBits - 8));
    const offset = Number(entry & ((1n << offsetBits) - 1n));
    const sectors = Number((entry & (COMPRESSED - 1n)) >> offsetBits) + 1;
    const length = Math.min(sectors * SECTOR - (offset % SECTOR), this.source.size - offset);
    if (length <= 0) throw this.#damaged('a compressed cluster is not in the file');
    const packed = new Uint8Array(length);
    await this.source.read(offset, packed);
    let bytes: Uint8Array;
    try {
      bytes = inflateSync(packed, { out: new Uint8Array(this.#clusterSize) });
    } catch (cause) {
      throw this.#damaged('a compressed cluster can’t be unpacked', cause);
    }
    if (bytes.length !== this.#clusterSize) throw this.#damaged('a compressed cluster is too short');
    keepFew(this.#unpacked, entry, bytes, CACHED_CLUSTERS);
    return bytes;
  }

  #damaged(reason: string, cause?: unknown): CoreError {
    return new CoreError('image.container', { name: this.name, reason }, cause);
  }
}

const OUT_BITS = 16;
const OUT_CLUSTER = 2 ** OUT_BITS;
const PER_TABLE = OUT_CLUSTER / 8;
/** Counts of 16 bits, so many to a cluster. */
const PER_COUNTS = OUT_CLUSTER / 2;

/**
 * A device as a qcow2 image of version 3, from its start to its end. Only clusters that hold anything but zeros are
 * stored; the device is gone over twice, first to see which those are.
 */
export async function* exportQcow2(device: BlockDevice): AsyncGenerator<Uint8Array> {
  const stored = await storedBlocks(device, OUT_CLUSTER);
  const clusters = Math.ceil(device.size / OUT_CLUSTER);
  const tables = [...new Set(stored.map((c) => Math.floor(c / PER_TABLE)))];
  const l1Entries = Math.ceil(clusters / PER_TABLE);
  const l1Clusters = Math.max(1, Math.ceil((l1Entries * 8) / OUT_CLUSTER));
  // Header, the table of tables, tables, then counts for all of that and themselves, then what is stored.
  const fixed = 1 + l1Clusters + tables.length + stored.length;
  let countBlocks = Math.ceil(fixed / PER_COUNTS);
  let countTable = 1;
  for (let before = -1; before !== countBlocks;) {
    before = countBlocks;
    countTable = Math.ceil((countBlocks * 8) / OUT_CLUSTER);
    countBlocks = Math.ceil((fixed + countBlocks + countTable) / PER_COUNTS);
  }
  const tablesAt = 1 + l1Clusters;
  const countTableAt = tablesAt + tables.length;
  const countBlocksAt = countTableAt + countTable;
  const dataAt = countBlocksAt + countBlocks;
  const total = dataAt + stored.length;

  yield headerOf(device.size, l1Entries, countTableAt * OUT_CLUSTER, countTable);
  const l1 = new Uint8Array(l1Clusters * OUT_CLUSTER);
  const l1View = new DataView(l1.buffer);
  tables.forEach((t, i) => l1View.setBigUint64(t * 8, BigInt((tablesAt + i) * OUT_CLUSTER) | COPIED));
  yield l1;
  let next = 0;
  for (const t of tables) {
    const table = new Uint8Array(OUT_CLUSTER);
    const view = new DataView(table.buffer);
    for (; next < stored.length && Math.floor(stored[next]! / PER_TABLE) === t; next++)
      view.setBigUint64((stored[next]! % PER_TABLE) * 8, BigInt((dataAt + next) * OUT_CLUSTER) | COPIED);
    yield table;
  }
  const counts = new Uint8Array(countTable * OUT_CLUSTER);
  const countsView = new DataView(counts.buffer);
  for (let i = 0; i < countBlocks; i++) countsView.setBigUint64(i * 8, BigInt((countBlocksAt + i) * OUT_CLUSTER));
  yield counts;
  for (let block = 0; block < countBlocks; block++) {
    const bytes = new Uint8Array(OUT_CLUSTER);
    const view = new DataView(bytes.buffer);
    for (let i = 0; i < PER_COUNTS && block * PER_COUNTS + i < total; i++) view.setUint16(i * 2, 1);
    yield bytes;
  }
  for (const cluster of stored) yield await clusterBytes(device, cluster);
}

async function clusterBytes(device: BlockDevice, cluster: number): Promise<Uint8Array> {
  const out = new Uint8Array(OUT_CLUSTER);
  const offset = cluster * OUT_CLUSTER;
  await device.read(offset, out.subarray(0, Math.min(OUT_CLUSTER, device.size - offset)));
  return out;
}

function headerOf(size: number, l1Entries: number, countTableOffset: number, countTableClusters: number): Uint8Array {
  const out = new Uint8Array(OUT_CLUSTER);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC);
  view.setUint32(4, 3);
  view.setUint32(20, OUT_BITS);
  view.setBigUint64(24, BigInt(size));
  view.setUint32(36, l1Entries);
  view.setBigUint64(40, BigInt(OUT_CLUSTER));
  view.setBigUint64(48, BigInt(countTableOffset));
  view.setUint32(56, countTableClusters);
  // Counts have 2^4 bits; the header is 104 bytes long and no extension follows.
  view.setUint32(96, 4);
  view.setUint32(100, 104);
  return out;
}
