/** An open ext volume behind the port. */
import type { BlockDevice } from '@/core/device';
import { CoreError, markOverridable, type Finding } from '@/core/errors';
import { countIn, runsOf } from '../bitmap';
import type { EntryDetails, FileEntry } from '../entry';
import type {
  Adoption,
  Beyond,
  ByteRange,
  ContentRun,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from '../port';
import { joinRanges } from '../ranges';
import type { Run } from '../free-space';
import { outOfUse } from '../retired';
import { formatUuid } from '../uuid';
import { adoptExt, adoptionStyle } from './adopt';
import { inlineOf, type Attribute } from './attributes';
import { clusterCount } from './bitmaps';
import { BAD_BLOCKS } from './carry-inodes';
import { fixedBecause } from './changeable';
import { checkExt } from './check';
import { detailsOf, hasAttributes, ownAttributes } from './details';
import { ExtEntry } from './entry';
import {
  entryKindOf,
  FLAG,
  flagsOf,
  IN_INODE_BYTES,
  isSealed,
  MAP_AT,
  RESIZE_INODE,
  sizeOf,
  TYPE,
  typeOf,
} from './inode';
import { normaliseExtLabel } from './kinds';
import { extLimits } from './limits';
import { mapOf, readExt, type ExtState } from './state';
import { identifyExt, markExt, relabelExt, settleExt } from './superblock-edits';
import { resizeExt } from './resize';
import { fixedRuns, retireExt } from './retire';
import { has, kindOf, labelOf } from './superblock';
import { openExtWriter } from './writer';

const MAX_BEYOND_ITEMS = 200;
const TITLES: Readonly<Record<string, string>> = { ext2: 'ext2', ext3: 'ext3', ext4: 'ext4' };
/** Findings that an override lets pass: they do not make carrying data unsafe. */
const MAY_PASS = new Set(['ext.dirty', 'ext.copies', 'ext.counts', 'ext.times']);
const LOST_FOLDER = 'lost+found';
const NONE: readonly Attribute[] = [];

/** Opens the volume that begins at the device's start. @throws CoreError `fs.unknown`, `fs.damaged` */
export async function openExt(device: BlockDevice): Promise<Volume> {
  return new ExtVolume(await readExt(device));
}

class ExtVolume implements Volume {
  readonly info: VolumeInfo;
  #findings: Promise<readonly Finding[]> | undefined;
  #paths: readonly string[] | undefined;

  constructor(readonly state: ExtState) {
    this.info = describe(state);
  }

  check(): Promise<readonly Finding[]> {
    return (this.#findings ??= checkExt(this.state).then((found) =>
      markOverridable(found, (code) => MAY_PASS.has(code)),
    ));
  }

  limits(): Promise<SizeLimits> {
    return extLimits(this.state);
  }

  async allocation(): Promise<readonly ByteRange[]> {
    const { g, bits } = this.state;
    const unit = g.clusterBlocks * g.blockSize;
    const first = g.firstDataBlock * g.blockSize;
    const ranges: ByteRange[] = first > 0 ? [{ start: 0, end: first }] : [];
    for (const { start, length } of runsOf(bits.blocks, 0, clusterCount(g), true))
      ranges.push({
        start: first + start * unit,
        end: Math.min(first + (start + length) * unit, g.blockCount * g.blockSize),
      });
    return joinRanges(ranges);
  }

  async immovable(): Promise<readonly ByteRange[]> {
    const { g } = this.state;
    const { blockSize, firstDataBlock, blockCount } = g;
    if (fixedBecause(g)) return [{ start: 0, end: blockCount * blockSize }];
    const fixed = fixedRuns(this.state).map(({ start, length }) => {
      return { start: start * blockSize, end: (start + length) * blockSize };
    });
    return joinRanges([{ start: 0, end: firstDataBlock * blockSize }, ...fixed]);
  }

  async beyond(end: number): Promise<Beyond> {
    const { g } = this.state;
    const first = Math.floor(end / g.blockSize);
    const paths = this.#pathsByInode();
    const items: { path: string; bytes: number }[] = [];
    for (const number of this.state.inodes.numbers()) {
      // What is kept for descriptors stands where they do.
      if (number === RESIZE_INODE) continue;
      const { extents, inner } = mapOf(this.state, number);
      let blocks = inner.filter((b) => b >= first).length;
      for (const { block, length } of extents) blocks += Math.max(0, block + length - Math.max(first, block));
      if (blocks > 0) items.push({ path: paths.get(number) ?? `(inode ${number})`, bytes: blocks * g.blockSize });
    }
    const bytes = items.reduce((sum, i) => sum + i.bytes, 0);
    return { bytes, items: items.sort((a, b) => b.bytes - a.bytes).slice(0, MAX_BEYOND_ITEMS) };
  }

  #pathsByInode(): Map<number, string> {
    const out = new Map<number, string>([[8, '(journal)']]);
    const paths = this.#allPaths();
    const { names } = this.state;
    for (let n = 0; n < names.length; n++) if (!out.has(names.inode(n))) out.set(names.inode(n), paths[n]!);
    return out;
  }

  /** Paths of all names, each built from that of its folder, which stands before it. */
  #allPaths(): readonly string[] {
    if (this.#paths) return this.#paths;
    const out: string[] = [];
    const { names } = this.state;
    for (let n = 0; n < names.length; n++) {
      const parent = names.parent(n);
      out.push(parent < 0 ? names.text(n) : `${out[parent]!}/${names.text(n)}`);
    }
    return (this.#paths = out);
  }

  async *walk(): AsyncGenerator<FileEntry> {
    const { names, inodes, device, g } = this.state;
    const paths = this.#allPaths();
    const filled = new Set<number>();
    for (let n = 0; n < names.length; n++) if (names.parent(n) >= 0) filled.add(names.parent(n));
    for (let n = 0; n < names.length; n++) {
      const id = names.inode(n);
      const kind = entryKindOf(inodes.typeAt(id)!);
      const path = paths[n]!;
      // The folder for what a check finds is the system's own as long as nothing is in it.
      if (names.parent(n) < 0 && path === LOST_FOLDER && kind === 'folder' && !filled.has(n)) continue;
      const bytes = inodes.get(id)!;
      const attributes = hasAttributes(bytes) ? await ownAttributes(device, g, bytes) : NONE;
      yield new ExtEntry(path, kind, id, bytes, attributes);
    }
  }

  async *content(entry: FileEntry): AsyncGenerator<ContentRun> {
    const { g, inodes } = this.state;
    const bytes = inodes.get(entry.id);
    if (!bytes) throw new CoreError('fs.not-found', { path: entry.path });
    const type = typeOf(bytes);
    if (type !== TYPE.file && type !== TYPE.link) return;
    const size = sizeOf(bytes);
    const flags = flagsOf(bytes);
    if (has(flags, FLAG.inlineData)) {
      yield { kind: 'bytes', bytes: inlineOf(bytes) };
      return;
    }
    if (type === TYPE.link && !has(flags, FLAG.extents) && size < IN_INODE_BYTES) {
      yield { kind: 'bytes', bytes: bytes.slice(MAP_AT, MAP_AT + size) };
      return;
    }
    const map = mapOf(this.state, entry.id);
    const { extents } = map;
    const fault = map.fault ?? sizeFault(entry.id, bytes, g);
    if (fault)
      throw new CoreError('fs.damaged', { fileSystem: this.info.title, reason: `${entry.path}: ${fault}`, offset: 0 });
    let at = 0;
    for (const { logical, block, length, unwritten } of extents) {
      const start = logical * g.blockSize;
      if (start >= size) break;
      if (start > at) yield { kind: 'zeros', length: start - at };
      const part = Math.min(length * g.blockSize, size - start);
      if (unwritten) yield { kind: 'zeros', length: part };
      else yield { kind: 'at', offset: block * g.blockSize, length: part };
      at = start + part;
    }
    if (at < size) yield { kind: 'zeros', length: size - at };
  }

  details(entry: FileEntry): Promise<EntryDetails> {
    return detailsOf(this.state, entry);
  }

  async shrink(size: number, tx: Transaction): Promise<void> {
    await resizeExt(this.state, size, tx);
  }

  async grow(size: number, tx: Transaction): Promise<void> {
    await resizeExt(this.state, size, tx);
  }

  retire(places: readonly ByteRange[], tx: Transaction): Promise<void> {
    return retireExt(this.state, places, tx);
  }

  async relabel(label: string, tx: Transaction): Promise<void> {
    await relabelExt(this.state, normaliseExtLabel(label), tx);
  }

  settle(tx: Transaction): Promise<void> {
    return settleExt(this.state, tx);
  }

  async adopt(adoption: Adoption, tx: Transaction): Promise<void> {
    if (!(adoption.source instanceof ExtVolume))
      throw new CoreError('fs.ability', { fileSystem: 'ext', ability: 'take over files of another kind of volume' });
    await adoptExt(this.state, adoption.source.state, adoption, tx);
  }

  identify(serial: number, tx: Transaction): Promise<void> {
    return identifyExt(this.state, serial, tx);
  }

  /** Nothing on it depends on where it starts. */
  async rebase(): Promise<void> {}

  markForCheck(tx: Transaction): Promise<void> {
    return markExt(this.state, tx);
  }

  async writer(tx: Transaction): Promise<VolumeWriter> {
    return openExtWriter(this.state, tx);
  }
}

/** Why a size can't be believed. Whoever reads a file goes over all of it, so that one that can't be must not be read. */
function sizeFault(number: number, inode: Uint8Array, g: ExtState['g']): string | undefined {
  const per = g.blockSize / 4;
  const most = has(flagsOf(inode), FLAG.extents) ? 2 ** 32 : 12 + per + per ** 2 + per ** 3;
  if (sizeOf(inode) > most * g.blockSize) return 'it is of a size that can’t be';
  return isSealed(number, inode, g) ? undefined : 'the checksum of its inode does not agree';
}

/** Blocks that are bad. Of clusters of several blocks one may be and the others not. */
const badBlocks = (state: ExtState): Run[] =>
  state.g.clusterBlocks > 1 ? [] : mapOf(state, BAD_BLOCKS).extents.map((e) => ({ start: e.block, length: e.length }));

function describe(state: ExtState): VolumeInfo {
  const { g, bits, pending } = state;
  const kind = kindOf(g.super);
  const free = (clusterCount(g) - countIn(bits.blocks, 0, clusterCount(g))) * g.clusterBlocks * g.blockSize;
  const size = g.blockCount * g.blockSize;
  const total = g.groupCount * g.inodesPerGroup;
  return {
    kind,
    title: TITLES[kind]!,
    label: labelOf(g.super),
    serial: formatUuid(g.super.uuid),
    clusterSize: g.blockSize * g.clusterBlocks,
    size,
    used: size - free,
    free,
    adoptionStyle: adoptionStyle(state),
    ...outOfUse(badBlocks(state).map((r) => ({ start: r.start * g.blockSize, length: r.length * g.blockSize }))),
    entries: { total, free: total - countIn(bits.inodes, 0, total), each: g.inodeSize },
    ...(pending?.journal.pending ? { unsettled: true as const } : {}),
  };
}
