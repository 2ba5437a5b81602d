/** Reading the names of a volume, folder by folder. */
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { inlineOf } from './attributes';
import type { BlockMap } from './block-map';
import { blockKindOf, eachEntry } from './folder';
import { FLAG, flagsOf, ROOT_INODE, sizeOf, TYPE } from './inode';
import type { InodeTable } from './inode-table';
import { Names } from './names';
import { mapOf, readContent } from './state';
import { has, SUPER_AT, type Geometry } from './superblock';

const MAX_FINDINGS = 1000;
const MAX_FOLDER_BYTES = 1024 * 1024 * 1024;
const MAX_DEPTH = 2000;

const DOT = 0x2e;

/** Whether a folder can be of a size, so that it may be read whole. */
export const isFolderSize = (size: number, g: Geometry): boolean =>
  size <= MAX_FOLDER_BYTES && size % g.blockSize === 0;

/** Reads all folders from the root on, each once. */
export class NameReader {
  readonly #names = new Names();
  readonly #findings: Finding[] = [];
  readonly #seen = new Set<number>();

  constructor(
    private readonly device: BlockDevice,
    private readonly g: Geometry,
    private readonly inodes: InodeTable,
    private readonly maps: ReadonlyMap<number, BlockMap>,
  ) {}

  async read(): Promise<{ names: Names; findings: Finding[] }> {
    if (this.inodes.typeAt(ROOT_INODE) !== TYPE.folder)
      throw new CoreError('fs.damaged', { fileSystem: 'ext', reason: 'its root folder is missing', offset: SUPER_AT });
    const queue: { name: number; depth: number }[] = [{ name: -1, depth: 0 }];
    this.#seen.add(ROOT_INODE);
    for (let next = queue.pop(); next; next = queue.pop()) {
      const below: typeof queue = [];
      for (const name of await this.#folder(next.name)) {
        const inode = this.#names.inode(name);
        if (this.#seen.has(inode) || next.depth >= MAX_DEPTH) {
          this.#find('error', 'ext.loop', `Folder ${inode} stands in two places.`);
          continue;
        }
        this.#seen.add(inode);
        below.push({ name, depth: next.depth + 1 });
      }
      queue.push(...below.reverse());
    }
    return { names: this.#names, findings: this.#findings };
  }

  /** Reads one folder. @returns the names of folders in it */
  async #folder(parent: number): Promise<number[]> {
    const names = this.#names;
    const number = parent < 0 ? ROOT_INODE : names.inode(parent);
    const out: number[] = [];
    let content: Uint8Array | undefined;
    for (const { bytes, from, to } of await this.#stretches(number, this.inodes.get(number)!)) {
      if (bytes !== content) names.begin(bytes);
      content = bytes;
      const fault = eachEntry(bytes, from, to, (inode, at, length, type) => {
        // A folder's own name, and that of the one above it.
        if (bytes[at] === DOT && (length === 1 || (length === 2 && bytes[at + 1] === DOT))) return;
        const kind = this.inodes.typeAt(inode);
        if (kind === undefined) {
          this.#find('error', 'ext.name', `A name in folder ${number} leads to inode ${inode}, which is not in use.`);
          return;
        }
        const name = names.add(inode, parent, at, length, type);
        if (kind === TYPE.folder) out.push(name);
      });
      if (fault) this.#find('error', 'ext.folder', `Folder ${number}: ${fault}.`);
    }
    return out;
  }

  async #stretches(number: number, inode: Uint8Array): Promise<{ bytes: Uint8Array; from: number; to: number }[]> {
    if (has(flagsOf(inode), FLAG.inlineData)) {
      const bytes = inlineOf(inode);
      // The folder above it comes first, as its number alone.
      return [
        { bytes, from: Math.min(4, bytes.length), to: Math.min(bytes.length, 60) },
        ...(bytes.length > 60 ? [{ bytes, from: 60, to: bytes.length }] : []),
      ];
    }
    const size = sizeOf(inode);
    if (!isFolderSize(size, this.g)) {
      this.#find('error', 'ext.folder', `Folder ${number} is of a size that can’t be.`);
      return [];
    }
    const map = mapOf({ inodes: this.inodes, maps: this.maps }, number);
    const bytes = await readContent(this.device, this.g, map, size);
    const indexed = has(flagsOf(inode), FLAG.index);
    const out = [];
    for (const { logical, length } of map.extents)
      for (let n = logical; n < logical + length; n++) {
        const from = n * this.g.blockSize;
        if (from >= size) break;
        const block = bytes.subarray(from, from + this.g.blockSize);
        // An index stands in blocks that look empty, but for its root with the two names of every folder.
        if (blockKindOf(block, n === 0, indexed) === 'index' && n > 0) continue;
        out.push({ bytes, from, to: from + this.g.blockSize });
      }
    return out;
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }
}
