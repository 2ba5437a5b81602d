/**
 * VMDK images: sparse extents, stream-optimized ones with them, and descriptors whose extents are files beside them
 * (“Virtual Disk Format” 5.0; numbers are little-endian). Images that build on a parent are refused.
 */
import { inflateSync, unzlibSync } from 'fflate';
import { bytesAt, eachBlock, keepFew, MOST_TABLE_BYTES, refuseImage, storedRanges } from './blocks';
import type { ByteSource } from './image-device';
import { joined } from './parts';

const SECTOR = 512;
const MAGIC = 0x564d444b;
/** “Hosted Sparse Extent Header”, flags. */
const ZERO_GRAINS = 1 << 2;
const COMPRESSED = 1 << 16;
const AT_END = 0xffffffffffffffffn;
const MOST_DESCRIPTOR = 64 * 1024;
const MOST_EXTENTS = 2000;
const CACHED = 64;
const DESCRIPTOR = '# Disk DescriptorFile';

/** Whether a file is a descriptor, which is text and names its extents. */
export async function isVmdkDescriptor(source: ByteSource): Promise<boolean> {
  if (source.size > MOST_DESCRIPTOR || source.size < DESCRIPTOR.length) return false;
  const head = new Uint8Array(DESCRIPTOR.length);
  await source.read(0, head);
  return String.fromCharCode(...head).toLowerCase() === DESCRIPTOR.toLowerCase();
}

/** Opens a file that stands beside an image, by its plain name. */
export type OpenBeside = (name: string) => Promise<ByteSource>;

/** The disk that a descriptor describes. @throws CoreError `image.container`, and what `beside` throws */
export async function openVmdkDescriptor(source: ByteSource, beside: OpenBeside | undefined): Promise<ByteSource> {
  const text = new TextDecoder().decode(await bytesAt(source, 0, source.size, 'its descriptor'));
  assertAlone(source, text);
  // “The Extent Descriptions”: access, sectors, kind, name, and for flat ones where in the file it begins.
  const extents = [...text.matchAll(/^(?:RW|RDONLY|NOACCESS)\s+(\d+)\s+(\w+)(?:\s+"([^"\r\n]*)"(?:\s+(\d+))?)?/gim)];
  if (extents.length === 0 || extents.length > MOST_EXTENTS) refuseImage(source.name, 'it describes no disk');
  const parts: ByteSource[] = [];
  for (const [, sectors, kind, name = '', offset = '0'] of extents) {
    const size = Number(sectors) * SECTOR;
    if (/^ZERO$/i.test(kind!)) parts.push(zeros(size));
    else parts.push(await openExtent(source, kind!, name, size, Number(offset) * SECTOR, beside));
  }
  return joined(source.name, parts);
}

async function openExtent(
  source: ByteSource,
  kind: string,
  name: string,
  size: number,
  offset: number,
  beside: OpenBeside | undefined,
): Promise<ByteSource> {
  if (!/^(FLAT|VMFS|SPARSE)$/i.test(kind)) refuseImage(source.name, `an extent of it is of kind ${kind}`);
  // What an image says is no path: its extents stand beside it.
  if (name === '' || /[\\/]|^\.\.?$/.test(name))
    refuseImage(source.name, `its extent “${name}” does not stand beside it`);
  if (!beside)
    return refuseImage(source.name, `its disk is in another file, ${name}; open it where both are, with the runner`);
  const file = await beside(name);
  const extent = /^SPARSE$/i.test(kind) ? await openVmdk(file) : file;
  if (extent.size < offset + size) refuseImage(source.name, `${name} is shorter than it says`);
  return {
    name,
    size,
    read: (at, into) => extent.read(offset + at, into),
    ...(extent.occupied && offset === 0 ? { occupied: () => extent.occupied!() } : {}),
  };
}

const zeros = (size: number): ByteSource => ({
  name: 'zeros',
  size,
  read: async (_at, into) => void into.fill(0),
  occupied: () => [],
});

/** “The Header”: an image with a parent has the number of its content. */
function assertAlone(source: ByteSource, text: string): void {
  const parent = /^parentCID\s*=\s*([0-9a-f]+)/im.exec(text)?.[1];
  if (parent && !/^f{8}$/i.test(parent)) refuseImage(source.name, 'it builds on another image');
}

interface Header {
  readonly flags: number;
  readonly capacity: number;
  readonly grainBytes: number;
  readonly tableEntries: number;
  readonly directory: bigint;
  readonly descriptor: number;
  readonly descriptorBytes: number;
  readonly compression: number;
}

async function headerAt(source: ByteSource, at: number): Promise<Header> {
  const bytes = await bytesAt(source, at, SECTOR, 'its header');
  const view = new DataView(bytes.buffer);
  const version = view.getUint32(4, true);
  if (view.getUint32(0, true) !== MAGIC || version < 1 || version > 3)
    refuseImage(source.name, `it is of version ${version}`);
  const sectors = (offset: number): number => Number(view.getBigUint64(offset, true)) * SECTOR;
  return {
    flags: view.getUint32(8, true),
    capacity: sectors(12),
    grainBytes: sectors(20),
    descriptor: sectors(28),
    descriptorBytes: sectors(36),
    tableEntries: view.getUint32(44, true),
    directory: view.getBigUint64(56, true),
    compression: view.getUint16(77, true),
  };
}

/** A sparse extent that is a disk by itself. @throws CoreError `image.container` */
export async function openVmdk(source: ByteSource): Promise<ByteSource> {
  const { name } = source;
  const first = await headerAt(source, 0);
  if (first.descriptor > 0 && first.descriptorBytes > 0) {
    const length = Math.min(first.descriptorBytes, MOST_DESCRIPTOR);
    assertAlone(source, new TextDecoder().decode(await bytesAt(source, first.descriptor, length, 'its descriptor')));
  }
  // “Stream-Optimized”: the directory is known only at the end, where the footer is.
  const header = first.directory === AT_END ? await headerAt(source, source.size - 2 * SECTOR) : first;
  const { capacity, grainBytes, tableEntries, directory } = header;
  const tables = Math.ceil(capacity / (grainBytes * tableEntries));
  const fits =
    Number.isSafeInteger(capacity) &&
    capacity > 0 &&
    grainBytes >= SECTOR &&
    grainBytes <= 64 * 1024 * 1024 &&
    tableEntries > 0 &&
    tableEntries <= 65_536 &&
    tables * 4 <= MOST_TABLE_BYTES;
  if (!fits) return refuseImage(name, 'its tables make no sense');
  if (header.compression > 1) refuseImage(name, 'it is compressed in a way that is not known here');
  const bytes = await bytesAt(source, Number(directory) * SECTOR, tables * 4, 'its directory');
  return new SparseVmdk(source, header, new DataView(bytes.buffer));
}

class SparseVmdk implements ByteSource {
  readonly name: string;
  readonly size: number;
  readonly #tables = new Map<number, DataView>();
  readonly #unpacked = new Map<number, Uint8Array>();

  constructor(
    private readonly source: ByteSource,
    private readonly header: Header,
    private readonly directory: DataView,
  ) {
    this.name = source.name;
    this.size = header.capacity;
  }

  /** Whole tables that are there; what of them is stored would have to be read. */
  *occupied(): Generator<{ start: number; end: number }> {
    const { grainBytes, tableEntries } = this.header;
    const count = this.directory.byteLength / 4;
    yield* storedRanges(
      count,
      (t) => this.directory.getUint32(t * 4, true) !== 0,
      grainBytes * tableEntries,
      this.size,
    );
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return eachBlock(offset, into, this.header.grainBytes, async (grain, at, part) => {
      const place = await this.#place(grain);
      // “Grain Table”: 0 is not stored, and 1 is zeros where the header says so.
      if (place === 0 || (place === 1 && (this.header.flags & ZERO_GRAINS) !== 0)) return void part.fill(0);
      if ((this.header.flags & COMPRESSED) !== 0)
        return void part.set((await this.#inflate(place)).subarray(at, at + part.length));
      const there = Math.max(0, Math.min(part.length, this.source.size - place * SECTOR - at));
      if (there > 0) await this.source.read(place * SECTOR + at, part.subarray(0, there));
      part.fill(0, there);
    });
  }

  async #place(grain: number): Promise<number> {
    const { tableEntries } = this.header;
    const index = Math.floor(grain / tableEntries);
    const at = this.directory.getUint32(index * 4, true);
    if (at === 0) return 0;
    let table = this.#tables.get(index);
    if (!table) {
      const bytes = await bytesAt(this.source, at * SECTOR, tableEntries * 4, 'a table of grains');
      keepFew(this.#tables, index, (table = new DataView(bytes.buffer)), CACHED);
    }
    return table.getUint32((grain % tableEntries) * 4, true);
  }

  /** “Compressed Grains”: a marker of its place and its length, then the grain. */
  async #inflate(place: number): Promise<Uint8Array> {
    const known = this.#unpacked.get(place);
    if (known) return known;
    const { grainBytes } = this.header;
    const marker = new DataView((await bytesAt(this.source, place * SECTOR, 12, 'a grain')).buffer);
    const length = marker.getUint32(8, true);
    if (length > 2 * grainBytes + SECTOR) refuseImage(this.name, 'a grain makes no sense');
    const packed = await bytesAt(this.source, place * SECTOR + 12, length, 'a grain');
    const out = new Uint8Array(grainBytes);
    try {
      // RFC 1950: the low half of the first byte says how it is packed.
      const unpack = (packed[0]! & 0x0f) === 8 ? unzlibSync : inflateSync;
      out.set(unpack(packed, { out: new Uint8Array(grainBytes) }));
    } catch (cause) {
      refuseImage(this.name, 'a grain can’t be unpacked', cause);
    }
    keepFew(this.#unpacked, place, out, CACHED);
    return out;
  }
}
