/**
 * Adding folders and files to an NTFS volume, and taking them away.
 *
 * Content goes straight to free clusters. Records, bitmaps and the boot sector's neighbours are gathered and written by
 * {@link NtfsWriter.finish}. The index of a folder that was changed is built anew as a whole, from the names that the
 * records hold, which gives a full and balanced tree whatever it was before.
 */
import { utf16 } from '@/core/bytes';
import { lengthOf } from '../fill';
import type { NewContent, NewFileFacts, Transaction, VolumeWriter } from '../port';
import type { AdoptedFile, Reserved } from './adopt';
import { referenceTo, type NewAttribute } from './build-record';
import type { ChangeInput } from './change';
import { ClusterAllocator } from './cluster-allocator';
import { ContentStore, RESIDENT_LIMIT, storable, storedLike } from './content-store';
import type { FileRecords } from './file-records';
import { FolderNames, shortNameOf } from './folder-names';
import { buildIndex, type BuiltIndex } from './index-tree';
import { MftEdit } from './mft-edit';
import {
  ARCHIVE,
  isCompressedBy,
  lettersIn,
  nameFor,
  nameLike,
  parentIn,
  reparseOf,
  securityIdIn,
  standardFor,
  standardFrom,
  tagOf,
} from './new-attributes';
import { ATTRIBUTE_FLAG, FLAG, recordOf, TYPE } from './record';
import type { DataRun } from './runlist';
import { SecurityDescriptors } from './secure';
import { SECURITY_ID } from './security';
import { changedIdentities, changedLinks, extendRecord, readView, type ReparsedFile } from './view-edit';

const FOLDER = FLAG.inUse | FLAG.folder;

/**
 * Opens a writer.
 * @param reserved clusters that are nobody’s by the bitmap, and are given to nothing but what is taken over
 * @throws CoreError `device.read-failed` or `fs.damaged`
 */
export async function openNtfsWriter(
  input: ChangeInput,
  upcase: Uint16Array,
  tx: Transaction,
  reserved?: Reserved,
): Promise<NtfsWriter> {
  const clusters = new ClusterAllocator(input, reserved);
  const edit = await MftEdit.open(input, tx, (count) => clusters.take(count));
  const store = new ContentStore(input.geometry, clusters, tx);
  return new NtfsWriter(input, clusters, store, edit, await FolderNames.load(input, upcase));
}

export class NtfsWriter implements VolumeWriter {
  readonly #links: ReparsedFile[] = [];
  /** References of files that were taken away. */
  readonly #gone = new Set<bigint>();
  #descriptors: SecurityDescriptors | undefined;

  constructor(
    private readonly input: ChangeInput,
    private readonly clusters: ClusterAllocator,
    private readonly store: ContentStore,
    private readonly edit: MftEdit,
    private readonly names: FolderNames,
  ) {}

  async mkdir(path: string, facts: NewFileFacts = {}): Promise<void> {
    const { parent, name } = this.names.place(path);
    const key = nameFor(this.names.referenceOf(parent), name, facts, 'folder');
    const attributes = [...(await this.#standard(parent, facts, 0)), ...(await this.#named(facts, {}))];
    await this.#create(path, parent, name, key, FOLDER, attributes, facts);
  }

  async writeFile(path: string, content: NewContent, told: NewFileFacts = {}): Promise<void> {
    const facts = storable(told, content, this.input.geometry);
    const { parent, name } = this.names.place(path);
    const data = await this.store.data('', content, facts);
    const allocated = 'allocated' in data ? (data.stored ?? data.allocated) : 0;
    const sizes = { allocated, size: lengthOf(content) };
    const key = nameFor(this.names.referenceOf(parent), name, facts, sizes);
    const named = await this.#named(facts, storedLike(facts));
    const attributes = [...(await this.#standard(parent, facts, ARCHIVE)), data, ...named];
    await this.#create(path, parent, name, key, FLAG.inUse, attributes, facts);
  }

  /** Streams that stand beside a file's content, or in a folder. */
  async #named({ streams = [] }: NewFileFacts, shape: NewFileFacts): Promise<NewAttribute[]> {
    const out: NewAttribute[] = [];
    for (const { name, content } of streams) out.push(await this.store.data(name, content, shape));
    return out;
  }

  async #create(
    path: string,
    parent: number,
    name: string,
    key: Uint8Array,
    flags: number,
    attributes: readonly NewAttribute[],
    facts: NewFileFacts,
  ): Promise<void> {
    const named = { type: TYPE.fileName, value: key, indexed: true };
    const file = await this.edit.create(flags, [...attributes, named, ...reparseOf(facts)]);
    this.#enter(path, parent, name, key, file, flags);
    if (facts.reparse) this.#noteLink(file, facts.reparse);
  }

  #enter(path: string, parent: number, name: string, key: Uint8Array, file: FileRecords, flags: number): void {
    const { number, sequence } = file;
    this.names.enter(parent, { reference: referenceTo(number, sequence), key, name, dos: false });
    if (flags & FLAG.folder) this.names.enterFolder(path, number, sequence);
  }

  #noteLink({ number, sequence }: FileRecords, reparse: Uint8Array): void {
    this.#links.push({ tag: tagOf(reparse), reference: referenceTo(number, sequence) });
  }

  /** Takes over a file or folder whose clusters are the volume's already. */
  async adopt(path: string, { flags, standard, name: told, security, reparse, held }: AdoptedFile): Promise<void> {
    const { parent, name } = this.names.place(path);
    const key = nameLike(told, this.names.referenceOf(parent), name);
    const rights = await this.#rights(parent, security);
    const own = flags & FOLDER;
    const named = { type: TYPE.fileName, value: key, indexed: true };
    const file = await this.edit.create(own, [standardFrom(standard, rights.id), named, ...rights.own]);
    file.hold(held);
    this.clusters.adopt(held.flatMap((h) => h.runs ?? []));
    this.#enter(path, parent, name, key, file, own);
    if (reparse) this.#noteLink(file, reparse);
  }

  async hardLink(path: string, existing: string): Promise<void> {
    const { entry } = this.names.find(existing);
    const { parent, name } = this.names.place(path);
    const key = nameLike(entry.key, this.names.referenceOf(parent), name);
    const file = await this.edit.file(recordOf(entry.reference));
    file.addName(key);
    this.names.enter(parent, { reference: entry.reference, key, name, dos: false });
  }

  async remove(path: string): Promise<void> {
    const { parent, entry } = this.names.find(path);
    const folder = this.names.folder(parent);
    const number = recordOf(entry.reference);
    const gone = [entry, ...shortNameOf(entry, folder)];
    for (const one of gone) this.names.leave(folder, one);
    await this.#drop(parent, number, (name) => gone.some((g) => g.name === name));
  }

  /** A file loses its names in a folder; with the last of them it goes, and with a folder all that is in it. */
  async #drop(parent: number, number: number, names: (name: string) => boolean): Promise<void> {
    const below = this.names.known(number);
    if (below) {
      const numbers = new Set([...below.names.values()].map((n) => recordOf(n.reference)));
      for (const child of numbers) await this.#drop(number, child, () => true);
      this.names.drop(number);
    }
    const file = await this.edit.file(number);
    const left = file.removeNames((value) => parentIn(value) === parent && names(utf16(lettersIn(value))));
    if (left > 0) return;
    this.edit.erase(number);
    this.#gone.add(referenceTo(number, file.sequence));
  }

  /** Standard information, and the rights where they are none that the volume has already. */
  async #standard(parent: number, facts: NewFileFacts, extra: number): Promise<NewAttribute[]> {
    const { id, own } = await this.#rights(parent, facts.security);
    return [standardFor(facts, extra, id), ...own];
  }

  /** The id of rights that the volume has already, or none and the rights themselves. */
  async #rights(parent: number, security: Uint8Array | undefined): Promise<{ id: number; own: NewAttribute[] }> {
    if (!security) return { id: await this.#rightsOf(parent), own: [] };
    const { device, geometry, mft } = this.input;
    this.#descriptors ??= await SecurityDescriptors.read(device, geometry, mft);
    const known = this.#descriptors.idOf(security);
    if (known !== undefined) return { id: known, own: [] };
    return { id: 0, own: [{ type: TYPE.security, value: security.slice() }] };
  }

  /** What is made in a folder has its rights. */
  async #rightsOf(parent: number): Promise<number> {
    return securityIdIn((await this.edit.file(parent)).valueOf(TYPE.standardInformation)) || SECURITY_ID.open;
  }

  async finish(): Promise<void> {
    for (const { number, names } of this.names.changed()) {
      const index = buildIndex([...names.values()], this.input.geometry, (name) => this.names.fold(name));
      const file = await this.edit.file(number);
      // What is made in a folder is compressed where its index says so, which is its own word for it.
      const flags = isCompressedBy(file.valueOf(TYPE.standardInformation)) ? ATTRIBUTE_FLAG.byUnits : 0;
      await this.#putIndex(file, '$I30', index, flags);
    }
    await this.#followViews();
    // Records and bitmaps take their clusters last, and may still ask for some.
    const { clusterCount } = this.input.geometry;
    await this.edit.write(() => this.clusters.finish().bitmap, clusterCount);
  }

  /** Links and identities are found by views of their own. */
  async #followViews(): Promise<void> {
    const { device, geometry, mft } = this.input;
    if (this.#links.length === 0 && this.#gone.size === 0) return;
    const links = extendRecord(mft, '$Reparse');
    if (links !== undefined) {
      const file = await this.edit.file(links);
      const entries = await readView(device, geometry, file, '$R');
      await this.#putIndex(file, '$R', changedLinks(entries, this.#gone, this.#links, geometry));
    }
    const identities = this.#gone.size > 0 ? extendRecord(mft, '$ObjId') : undefined;
    if (identities !== undefined) {
      const file = await this.edit.file(identities);
      const entries = await readView(device, geometry, file, '$O');
      await this.#putIndex(file, '$O', changedIdentities(entries, this.#gone, geometry));
    }
  }

  async #putIndex(file: FileRecords, name: string, index: BuiltIndex, flags = 0): Promise<void> {
    const { geometry } = this.input;
    // The clusters of the index that is built anew are free again, but not before the change is through.
    for (const type of [TYPE.indexAllocation, TYPE.bitmap])
      for (const run of file.runsOf(type, name) ?? []) this.edit.freeLater(run);
    const attributes: NewAttribute[] = [{ type: TYPE.indexRoot, name, value: index.root, flags }];
    if (index.blocks.length > 0) {
      const clusters = Math.ceil(index.blocks.length / geometry.clusterSize);
      const runs = this.clusters.take(clusters);
      await this.edit.fill(runs, index.blocks);
      const [size, allocated] = [index.blocks.length, clusters * geometry.clusterSize];
      attributes.push({ type: TYPE.indexAllocation, name, runs, allocated, size });
      attributes.push({ type: TYPE.bitmap, name, ...(await this.#indexBitmap(index.bitmap)) });
    }
    file.replace(name, [TYPE.indexRoot, TYPE.indexAllocation, TYPE.bitmap], attributes);
  }

  /** The bitmap of a very large index does not fit a record. */
  async #indexBitmap(
    bitmap: Uint8Array,
  ): Promise<{ value: Uint8Array } | { runs: DataRun[]; allocated: number; size: number }> {
    if (bitmap.length <= RESIDENT_LIMIT) return { value: bitmap };
    const { clusterSize } = this.input.geometry;
    const runs = this.clusters.take(Math.ceil(bitmap.length / clusterSize));
    await this.edit.fill(runs, bitmap);
    return { runs, allocated: Math.ceil(bitmap.length / clusterSize) * clusterSize, size: bitmap.length };
  }
}
