/** The check of folders: their own two names, what entries say of what they lead to, checksums, and indexes. */
import { nameHash, UNSIGNED } from './name-hash';
import type { Findings } from './check';
import { blockKindOf, entriesIn, indexIn, isBlockSealed, isDots, typeCode } from './folder';
import { FLAG, flagsOf, inodeSeed, ROOT_INODE, sizeOf, TYPE } from './inode';
import { isFolderSize } from './name-reader';
import { mapOf, readContent, type ExtState } from './state';
import { has, HASH_FLAG, INCOMPAT } from './superblock';

const HASHES = 6;

export async function checkFolders(state: ExtState, out: Findings): Promise<void> {
  const { inodes, names } = state;
  const parents = new Map<number, number>([[ROOT_INODE, ROOT_INODE]]);
  for (let n = 0; n < names.length; n++)
    if (inodes.typeAt(names.inode(n)) === TYPE.folder) parents.set(names.inode(n), names.above(n, ROOT_INODE));
  for (const [number, parent] of parents) {
    const inode = inodes.get(number)!;
    if (has(flagsOf(inode), FLAG.inlineData)) continue;
    await checkFolder(state, number, parent, inode, out);
  }
  if (has(state.g.super.incompat, INCOMPAT.filetype))
    for (let n = 0; n < names.length; n++)
      if (names.type(n) !== 0 && names.type(n) !== typeCode(inodes.typeAt(names.inode(n))!))
        out.add('warning', 'ext.type', `The entry of ${names.text(n)} says that it is something else than it is.`);
}

async function checkFolder(
  state: ExtState,
  number: number,
  parent: number,
  inode: Uint8Array,
  out: Findings,
): Promise<void> {
  const { g, device } = state;
  const size = sizeOf(inode);
  // Told of where names were read.
  if (!isFolderSize(size, g)) return;
  const map = mapOf(state, number);
  const bytes = await readContent(device, g, map, size);
  const indexed = has(flagsOf(inode), FLAG.index);
  const seed = inodeSeed(number, inode, g);
  const dots = entriesIn(bytes, 0, Math.min(size, g.blockSize)).entries.filter((e) => isDots(e.name));
  if (dots[0]?.inode !== number || dots[1]?.inode !== parent)
    out.add('error', 'ext.dots', `Folder ${number} does not lead to itself and to the folder above it.`);
  const count = size / g.blockSize;
  for (let n = 0; n < count; n++) {
    const block = bytes.subarray(n * g.blockSize, (n + 1) * g.blockSize);
    const kind = blockKindOf(block, n === 0, indexed);
    if (g.checksums && !isBlockSealed(block, kind, n === 0, seed))
      out.add('error', 'ext.folder', `The checksum of block ${n} of folder ${number} does not agree.`);
  }
  if (indexed && !has(flagsOf(inode), FLAG.casefold) && !has(flagsOf(inode), FLAG.encrypt))
    checkIndex(state, number, bytes, count, out);
}

/** Every leaf is led to once, and holds names whose hashes are those that lead to it. */
function checkIndex({ g }: ExtState, number: number, bytes: Uint8Array, count: number, out: Findings): void {
  const wrong = (): void => out.add('error', 'ext.index', `The index of folder ${number} does not lead to its names.`);
  const blockAt = (n: number): Uint8Array => bytes.subarray(n * g.blockSize, (n + 1) * g.blockSize);
  const root = indexIn(blockAt(0), true);
  if (!root || root.levels > 2) return wrong();
  const version =
    root.version < UNSIGNED && has(g.super.flags, HASH_FLAG.unsigned) ? root.version + UNSIGNED : root.version;
  if (version >= HASHES) return;
  let level = root.entries.map((e, i) => ({ ...e, end: root.entries[i + 1]?.hash ?? 2 ** 32 }));
  const seen = new Set<number>([0]);
  for (let depth = 0; depth <= root.levels; depth++) {
    const below: typeof level = [];
    for (const { block, hash, end } of level) {
      if (block >= count || seen.has(block)) return wrong();
      seen.add(block);
      if (depth < root.levels) {
        const node = indexIn(blockAt(block), false);
        if (!node) return wrong();
        below.push(
          ...node.entries.map((e, i) => ({
            block: e.block,
            hash: i === 0 ? hash : e.hash,
            end: node.entries[i + 1]?.hash ?? end,
          })),
        );
        continue;
      }
      for (const { name } of entriesIn(bytes, block * g.blockSize, (block + 1) * g.blockSize).entries) {
        const own = nameHash(name, version, g.super.hashSeed);
        if (own < (hash & ~1) >>> 0 || own > ((end & ~1) >>> 0 || 2 ** 32)) return wrong();
      }
    }
    level = below;
  }
}
