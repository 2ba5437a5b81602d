/**
 * Adding to an ext volume, and taking away from it. Content goes straight to free blocks; a folder that changes is built
 * anew, and everything that was there already is gathered and written by {@link ExtWriter.finish}.
 */
import { CoreError } from '@/core/errors';
import type { Run } from '../free-space';
import type { NewContent, NewFileFacts, Transaction, VolumeWriter } from '../port';
import { attributesInside, SYSTEM } from './attributes';
import { NEW_MODES } from './beside';
import { buildFolder, type NewEntry } from './build-folder';
import { assertChangeable, draftOf } from './changeable';
import type { Draft } from './draft';
import { typeCode } from './folder';
import { extNameFault, nameBytes } from './folder-names';
import { FLAG, flagsOf, INODE, inodeSeed, linksOf, ROOT_INODE, setTimes, typeOf, TYPE } from './inode';
import { extentsOf } from './make';
import { putInside } from './new-attributes';
import { NewInodes, type AdoptedInode } from './new-inodes';
import { Releases } from './releases';
import { mapOf, type ExtState } from './state';
import { styleOf } from './style';
import { has, INCOMPAT, RO_COMPAT, type SuperFields } from './superblock';
import { settled, settleExt } from './superblock-edits';

const MOST_LINKS = 65_000;
const LOST_FOLDER = 'lost+found';
const NO_NAME = -2;

interface OpenFolder {
  readonly number: number;
  readonly inode: Uint8Array;
  readonly parent: number;
  readonly entries: Map<string, NewEntry>;
  readonly folders: Map<string, OpenFolder>;
  dirty: boolean;
}

/** Opens a writer. @throws CoreError `fs.ability` where the volume stays as it is */
export async function openExtWriter(state: ExtState, tx: Transaction): Promise<ExtWriter> {
  assertChangeable(state.g, 'take files');
  await settleExt(state, tx);
  return new ExtWriter(state, tx);
}

export class ExtWriter implements VolumeWriter {
  readonly #draft: Draft;
  readonly #root: OpenFolder;
  readonly #children = new Map<number, number[]>();
  /** The number of the name of each folder. */
  readonly #nameOf = new Map<number, number>();
  readonly inodes: NewInodes;
  readonly #releases: Releases;
  readonly #open = new Map<number, OpenFolder>();

  constructor(
    private readonly state: ExtState,
    private readonly tx: Transaction,
  ) {
    this.#draft = draftOf(state);
    this.inodes = new NewInodes(state.g, this.#draft, tx);
    this.#releases = new Releases(state, this.inodes);
    const { names } = state;
    for (let i = 0; i < names.length; i++) {
      const parent = names.parent(i);
      const list = this.#children.get(parent);
      if (list) list.push(i);
      else this.#children.set(parent, [i]);
    }
    for (let i = 0; i < names.length; i++)
      if (state.inodes.typeAt(names.inode(i)) === TYPE.folder) this.#nameOf.set(names.inode(i), i);
    this.#root = this.#load(ROOT_INODE, ROOT_INODE, -1);
  }

  /** A folder that is there. @param name the number of its name, -1 for the root */
  #load(number: number, parent: number, name: number): OpenFolder {
    const inode = this.state.inodes.get(number)!.slice();
    const entries = new Map<string, NewEntry>();
    for (const i of this.#children.get(name) ?? []) {
      const { names, inodes } = this.state;
      const to = names.inode(i);
      entries.set(names.text(i), { inode: to, name: names.bytes(i), type: typeCode(inodes.typeAt(to)!) });
    }
    const folder = { number, inode, parent, entries, folders: new Map<string, OpenFolder>(), dirty: false };
    this.#open.set(number, folder);
    return folder;
  }

  #below(folder: OpenFolder, name: string): OpenFolder | undefined {
    const known = folder.folders.get(name);
    if (known) return known;
    const entry = folder.entries.get(name);
    const inode = entry && this.state.inodes.get(entry.inode);
    if (!entry || !inode || typeOf(inode) !== TYPE.folder) return undefined;
    const loaded = this.#load(entry.inode, folder.number, this.#nameOf.get(entry.inode) ?? NO_NAME);
    folder.folders.set(name, loaded);
    return loaded;
  }

  /** @throws CoreError `fs.not-found` */
  #folder(path: string): OpenFolder {
    let folder = this.#root;
    for (const name of path.split('/').filter(Boolean)) {
      const next = this.#below(folder, name);
      if (!next) throw new CoreError('fs.not-found', { path });
      folder = next;
    }
    return folder;
  }

  #parent(path: string): { folder: OpenFolder; name: string } {
    const cut = path.lastIndexOf('/');
    return { folder: this.#folder(cut < 0 ? '' : path.slice(0, cut)), name: path.slice(cut + 1) };
  }

  #place(path: string): { folder: OpenFolder; name: string } {
    const { folder, name } = this.#parent(path);
    const fault = extNameFault(name);
    if (fault)
      throw new CoreError('fs.name', {
        name,
        reason: fault === 'length' ? 'it is too long' : 'it holds what a name must not',
      });
    if (folder.entries.has(name)) throw new CoreError('fs.exists', { path });
    const flags = flagsOf(folder.inode);
    if (has(flags, FLAG.encrypt) || has(flags, FLAG.casefold))
      throw new CoreError('fs.ability', {
        fileSystem: 'ext4',
        ability: 'take files into a folder whose names are encrypted or folded',
      });
    return { folder, name };
  }

  async mkdir(path: string, facts: NewFileFacts = {}): Promise<void> {
    if (path === LOST_FOLDER && this.#adoptLost(facts)) return;
    const { folder, name } = this.#place(path);
    const number = this.#draft.takeInode(this.#groupOf(folder), true);
    const inode = await this.inodes.make(number, TYPE.folder, facts, NEW_MODES.folder);
    this.#enterFolder(folder, name, number, inode);
  }

  #enterFolder(folder: OpenFolder, name: string, number: number, inode: Uint8Array): void {
    INODE.encode({ links: 2 }, inode);
    const links = linksOf(folder.inode);
    if (links >= MOST_LINKS - 1 && !has(this.state.g.super.roCompat, RO_COMPAT.dirNlink))
      throw new CoreError('fs.ability', { fileSystem: 'ext', ability: `hold more than ${MOST_LINKS} folders in one` });
    INODE.encode({ links: links === 1 || links >= MOST_LINKS - 1 ? 1 : links + 1 }, folder.inode);
    const made = { number, inode, parent: folder.number, entries: new Map(), folders: new Map(), dirty: true };
    this.#open.set(number, made);
    folder.folders.set(name, made);
    this.#enter(folder, name, number, TYPE.folder);
  }

  /** Blocks that something is carried to. @throws CoreError `fs.full` */
  take(count: number): Run[] {
    return this.#draft.take(count);
  }

  /** Enters a copy of an inode under a number of its own, for which `prepare` makes it ready. */
  async adopt(
    path: string,
    { inode, facts, near }: AdoptedInode,
    prepare: (number: number) => Promise<void>,
  ): Promise<void> {
    const isFolder = typeOf(inode) === TYPE.folder;
    if (isFolder && path === LOST_FOLDER && this.#adoptLost(facts)) return;
    const { folder, name } = this.#place(path);
    const number = this.#draft.takeInode(near, isFolder);
    await prepare(number);
    if (isFolder) return this.#enterFolder(folder, name, number, inode);
    INODE.encode({ links: 1 }, inode);
    this.#draft.draftInode(number, inode);
    this.#enter(folder, name, number, typeOf(inode));
  }

  /** The system's own folder that nothing is in is not seen, and becomes one that is. */
  #adoptLost(facts: NewFileFacts): boolean {
    const lost = this.#below(this.#root, LOST_FOLDER);
    if (!lost || lost.entries.size > 0) return false;
    setTimes(lost.inode, facts.times ?? {}, facts.changed);
    if (facts.owner) this.inodes.own(lost.inode, facts.owner);
    lost.dirty = true;
    return true;
  }

  async writeFile(path: string, content: NewContent, facts: NewFileFacts = {}): Promise<void> {
    if (facts.streams?.length) throw new CoreError('fs.ability', { fileSystem: 'ext', ability: 'hold named streams' });
    const { folder, name } = this.#place(path);
    const type = facts.path ? TYPE.link : (facts.special?.type ?? TYPE.file);
    const number = this.#draft.takeInode(this.#groupOf(folder), false);
    const inode = await this.inodes.make(number, type, facts, type === TYPE.link ? NEW_MODES.link : NEW_MODES.file);
    INODE.encode({ links: 1 }, inode);
    if (facts.special) this.inodes.special(inode, facts.special.device);
    else if (facts.path && facts.path.length < 60) this.inodes.shortLink(inode, facts.path);
    else await this.inodes.content(number, inode, facts.path ? { kind: 'bytes', bytes: facts.path } : content, facts);
    this.#draft.draftInode(number, inode);
    this.#enter(folder, name, number, type);
  }

  #groupOf({ number }: OpenFolder): number {
    return Math.floor((number - 1) / this.state.g.inodesPerGroup);
  }

  #enter(folder: OpenFolder, name: string, inode: number, type: number): void {
    folder.entries.set(name, { inode, name: nameBytes(name), type: typeCode(type) });
    folder.dirty = true;
  }

  async hardLink(path: string, existing: string): Promise<void> {
    const { folder, name } = this.#place(path);
    const from = this.#parent(existing);
    const entry = from.folder.entries.get(from.name);
    if (!entry) throw new CoreError('fs.not-found', { path: existing });
    const inode = this.#inodeOf(entry.inode);
    if (typeOf(inode) === TYPE.folder || linksOf(inode) >= MOST_LINKS)
      throw new CoreError('fs.ability', { fileSystem: 'ext', ability: 'give it another name' });
    INODE.encode({ links: linksOf(inode) + 1 }, inode);
    this.#draft.draftInode(entry.inode, inode);
    folder.entries.set(name, { ...entry, name: nameBytes(name) });
    folder.dirty = true;
  }

  /** An inode as it will be. */
  #inodeOf(number: number): Uint8Array {
    return this.#draft.drafted(number) ?? this.#open.get(number)?.inode ?? this.state.inodes.get(number)!.slice();
  }

  async remove(path: string): Promise<void> {
    const { folder, name } = this.#parent(path);
    const entry = folder.entries.get(name);
    if (!entry) throw new CoreError('fs.not-found', { path });
    await this.#drop(folder, name, entry);
  }

  async #drop(folder: OpenFolder, name: string, entry: NewEntry): Promise<void> {
    const below = this.#below(folder, name);
    if (below) {
      for (const [inner, its] of [...below.entries]) await this.#drop(below, inner, its);
      below.dirty = false;
      this.#open.delete(below.number);
      folder.folders.delete(name);
      const links = linksOf(folder.inode);
      INODE.encode({ links: links === 1 ? 1 : links - 1 }, folder.inode);
    }
    folder.entries.delete(name);
    folder.dirty = true;
    const inode = below?.inode ?? this.#inodeOf(entry.inode);
    const left = below ? 0 : linksOf(inode) - 1;
    INODE.encode({ links: Math.max(0, left) }, inode);
    if (left <= 0) await this.#releases.inode(entry.inode, inode);
    this.#draft.draftInode(entry.inode, inode);
  }

  async finish(): Promise<void> {
    const { g } = this.state;
    const draft = this.#draft;
    for (const folder of this.#open.values()) if (folder.dirty) await this.#writeFolder(folder);
    await this.#releases.finish(draft, this.tx);
    const large = this.inodes.large ? { roCompat: g.super.roCompat | RO_COMPAT.largeFile } : {};
    const fields: Partial<SuperFields> = settled(this.state, large);
    await draft.flush(this.tx, fields, { copies: false });
  }

  async #writeFolder({ number, inode, parent, entries }: OpenFolder): Promise<void> {
    const { g } = this.state;
    const old = this.state.inodes.get(number) ? mapOf(this.state, number) : { extents: [], inner: [] };
    if (has(flagsOf(inode), FLAG.inlineData)) this.#outOfInode(inode);
    const seed = inodeSeed(number, inode, g);
    const { blocks, indexed } = buildFolder(number, parent, [...entries.values()], styleOf(g, seed));
    const had = old.extents.flatMap((e) => Array.from({ length: e.length }, (_, i) => e.block + i));
    const places = had.slice(0, blocks.length);
    for (const block of had.slice(blocks.length)) this.#releases.blocks(block, 1);
    for (const block of old.inner) this.#releases.blocks(block, 1);
    const fresh = blocks.length > places.length ? this.#draft.take(blocks.length - places.length) : [];
    for (const { start, length } of fresh) for (let i = 0; i < length; i++) places.push(start + i);
    for (const [i, bytes] of blocks.entries()) {
      const offset = places[i]! * g.blockSize;
      if (i < had.length) await this.tx.write(offset, bytes);
      else await this.tx.writeFree(offset, bytes);
    }
    const size = blocks.length * g.blockSize;
    const flags = indexed ? flagsOf(inode) | FLAG.index : flagsOf(inode) & ~FLAG.index;
    INODE.encode({ sizeLow: size % 2 ** 32, sizeHigh: Math.floor(size / 2 ** 32), flags: flags >>> 0 }, inode);
    const extents = extentsOf(places.map((start) => ({ start, length: 1 })));
    for (const { block, bytes } of this.inodes.setMap(number, inode, extents))
      await this.tx.writeFree(block * g.blockSize, bytes);
    this.#draft.draftInode(number, inode);
  }

  /** A folder that stood in its inode gets blocks. */
  #outOfInode(inode: Uint8Array): void {
    const rest = attributesInside(inode).filter((a) => a.prefix !== SYSTEM);
    putInside(inode, rest);
    const extents = has(this.state.g.super.incompat, INCOMPAT.extents) ? FLAG.extents : 0;
    INODE.encode({ flags: ((flagsOf(inode) & ~FLAG.inlineData) | extents) >>> 0, map: new Uint8Array(60) }, inode);
  }
}
