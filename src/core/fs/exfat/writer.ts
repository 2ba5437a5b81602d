/**
 * Adding folders and files to an exFAT volume. Content goes straight to free clusters; tables and folders that were
 * there already are gathered and written by {@link ExfatWriter.finish}.
 */
import { CoreError } from '@/core/errors';
import { fillFree, lengthOf } from '../fill';
import type { NewContent, NewFileFacts, Transaction, VolumeWriter } from '../port';
import type { Run } from '../free-space';
import { clusterOffset, fatStart, type ExfatGeometry } from './boot-region';
import { changeBoot, type ExfatState } from './boot-edits';
import { ClusterAllocator } from './cluster-allocator';
import {
  ATTRIBUTE,
  buildSet,
  ENTRY_BYTES,
  exfatNameFault,
  FILE,
  IN_USE,
  setChecksum,
  STREAM,
  STREAM_FLAG,
} from './entries';
import { fold, openFolder, type OpenFolder } from './open-folder';
import { BAD, END, type Owner } from './owner';
import { PathIndex } from './path-index';
import { renamedSet, type AdoptedSet } from './adopt';

const ATTRIBUTE_BITS: Readonly<Record<string, number>> = { 'read-only': 1, hidden: 2, system: 4, archive: 32 };

/** Opens a writer. @throws CoreError `device.read-failed` */
export async function openExfatWriter(state: ExfatState, tx: Transaction): Promise<ExfatWriter> {
  const writer = new ExfatWriter(state, tx);
  await writer.load();
  return writer;
}

export class ExfatWriter implements VolumeWriter {
  readonly #clusters: ClusterAllocator;
  readonly #chains: (readonly Run[])[] = [];
  /** Clusters of what was taken away, free once everything else has its own. */
  readonly #freed: Run[] = [];
  readonly #adopted: Run[] = [];
  readonly #bad: Run[] = [];
  readonly #folders = new Map<string, OpenFolder>();
  #paths: PathIndex | undefined;

  constructor(
    private readonly state: ExfatState,
    private readonly tx: Transaction,
  ) {
    this.#clusters = new ClusterAllocator(state);
  }

  get #g(): ExfatGeometry {
    return this.state.geometry;
  }

  async load(): Promise<void> {
    this.#folders.set('', await openFolder(this.state, this.state.tree.root, undefined));
  }

  /** What was there when the writer began. */
  get #index(): PathIndex {
    return (this.#paths ??= new PathIndex(this.state.tree.owners, (path) => this.#fold(path)));
  }

  #fold(name: string): string {
    return fold(name, this.state.tree.upcase);
  }

  async #folder(path: string): Promise<OpenFolder> {
    const known = this.#folders.get(this.#fold(path));
    if (known) return known;
    const cut = path.lastIndexOf('/');
    const parent = await this.#folder(cut < 0 ? '' : path.slice(0, cut));
    const owner = this.#index.entry(this.#fold(path));
    if (owner?.kind !== 'folder') throw new CoreError('fs.not-found', { path });
    const folder = await openFolder(this.state, owner, parent);
    this.#folders.set(this.#fold(path), folder);
    return folder;
  }

  async #place(path: string): Promise<{ folder: OpenFolder; name: string }> {
    const cut = path.lastIndexOf('/');
    const name = path.slice(cut + 1);
    if (exfatNameFault(name))
      throw new CoreError('fs.name', { name, reason: 'it is empty, too long, or holds what a name must not' });
    const folder = await this.#folder(cut < 0 ? '' : path.slice(0, cut));
    if (folder.names.has(this.#fold(name))) throw new CoreError('fs.exists', { path });
    return { folder, name };
  }

  async mkdir(path: string, facts: NewFileFacts = {}): Promise<void> {
    const { folder, name } = await this.#place(path);
    const { clusterSize } = this.#g;
    const runs = this.#clusters.allocate(1, facts.placement?.near);
    const firstCluster = runs[0]!.start;
    await this.tx.clearFree(clusterOffset(this.#g, firstCluster), clusterSize);
    const attributes = ATTRIBUTE.folder | attributeBits(facts, 0);
    const set = this.#enter(folder, name, facts, attributes, runs, clusterSize, true);
    this.#folders.set(this.#fold(path), {
      bytes: new Uint8Array(clusterSize),
      size: clusterSize,
      runs,
      end: 0,
      names: new Set(),
      at: { parent: folder, set },
      fresh: true,
      grown: false,
      dirty: false,
    });
  }

  async writeFile(path: string, content: NewContent, facts: NewFileFacts = {}): Promise<void> {
    if (facts.streams?.length)
      throw new CoreError('fs.ability', { fileSystem: 'exFAT', ability: 'hold named streams' });
    const { folder, name } = await this.#place(path);
    const size = lengthOf(content);
    const runs = this.#clusters.store(size, facts.placement);
    await this.#fill(runs, content);
    const contiguous = runs.length === 1;
    if (runs.length > 1) this.#chains.push(runs);
    this.#enter(folder, name, facts, attributeBits(facts, ATTRIBUTE.archive), runs, size, contiguous);
  }

  #fill(runs: readonly Run[], content: NewContent): Promise<void> {
    const g = this.#g;
    const rooms = runs.map((r) => ({ offset: clusterOffset(g, r.start), length: r.length * g.clusterSize }));
    return fillFree(this.tx, rooms, content, 'left');
  }

  /** Enters a file with the clusters that it has, which were taken for it already. */
  async adopt(path: string, { set, parts }: AdoptedSet): Promise<void> {
    const { folder, name } = await this.#place(path);
    this.#put(folder, name, renamedSet(set, name, this.state.tree.upcase));
    for (const { runs, contiguous } of parts) {
      for (const run of runs) this.#adopted.push(run);
      if (!contiguous && runs.length > 0) this.#chains.push(runs);
    }
  }

  /** Of clusters that were kept for files to be taken over, those that nobody took are free in the end, or bad. */
  release(kept: Run, bad: readonly Run[]): void {
    this.#freed.push(kept);
    for (const run of bad) this.#bad.push(run);
  }

  async hardLink(): Promise<void> {
    throw new CoreError('fs.ability', { fileSystem: 'exFAT', ability: 'give a file two names' });
  }

  async remove(path: string): Promise<void> {
    const key = this.#fold(path);
    const owner = this.#index.entry(key);
    const cut = path.lastIndexOf('/');
    const folder = await this.#folder(cut < 0 ? '' : path.slice(0, cut));
    if (!owner?.at || !folder.names.delete(this.#fold(path.slice(cut + 1))))
      throw new CoreError('fs.not-found', { path });
    const { set, setBytes } = owner.at;
    for (let at = set; at < set + setBytes; at += ENTRY_BYTES) folder.bytes[at]! &= ~IN_USE;
    folder.dirty = true;
    this.#free(owner);
    // What else its set refers to is called like it, and more.
    for (const other of this.#index.beginning(key)) if (isBeside(other, owner)) this.#free(other);
    if (owner.kind !== 'folder') return;
    for (const below of this.#index.beginning(`${key}/`)) this.#free(below);
    for (const open of [...this.#folders.keys()])
      if (open === key || open.startsWith(`${key}/`)) this.#folders.delete(open);
  }

  /** One run after the other: a file may have more of them than a call can be given. */
  #free({ runs }: Owner): void {
    for (const run of runs) this.#freed.push(run);
  }

  /** Puts a set into a folder and returns where it stands. */
  #enter(
    folder: OpenFolder,
    name: string,
    facts: NewFileFacts,
    attributes: number,
    runs: Run[],
    length: number,
    contiguous: boolean,
  ): number {
    const flags = STREAM_FLAG.allocation | (contiguous && length > 0 ? STREAM_FLAG.contiguous : 0);
    const firstCluster = runs[0]?.start ?? 0;
    const times = facts.times ?? {};
    const set = buildSet(name, this.state.tree.upcase, { attributes, times, flags, firstCluster, length });
    return this.#put(folder, name, set);
  }

  #put(folder: OpenFolder, name: string, set: Uint8Array): number {
    while (folder.end + set.length > folder.size) this.#growFolder(folder);
    folder.bytes.set(set, folder.end);
    const at = folder.end;
    folder.end += set.length;
    folder.dirty = true;
    folder.names.add(this.#fold(name));
    return at;
  }

  #growFolder(folder: OpenFolder): void {
    for (const run of this.#clusters.allocate(1, undefined)) {
      const last = folder.runs.at(-1);
      if (last && last.start + last.length === run.start) last.length += run.length;
      else folder.runs.push(run);
    }
    folder.size += this.#g.clusterSize;
    folder.grown = true;
    if (folder.size <= folder.bytes.length) return;
    const longer = new Uint8Array(2 * folder.size);
    longer.set(folder.bytes);
    folder.bytes = longer;
  }

  async finish(): Promise<void> {
    for (const folder of this.#folders.values()) if (folder.grown) this.#resize(folder);
    for (const folder of this.#folders.values()) if (folder.dirty) await this.#writeFolder(folder);
    for (const run of this.#freed) this.#clusters.mark(run, false);
    for (const run of [...this.#adopted, ...this.#bad]) this.#clusters.mark(run, true);
    await this.#writeFat();
    await this.#clusters.write(this.tx);
    const { clusterCount } = this.#g;
    const percentInUse = Math.floor(((clusterCount - this.#clusters.free) * 100) / clusterCount);
    await changeBoot(this.state, { percentInUse }, this.tx);
  }

  /** A folder that grew is chained, and its entry says how long it is. */
  #resize(folder: OpenFolder): void {
    this.#chains.push(folder.runs);
    if (!folder.at) return;
    const { parent, set: at } = folder.at;
    const set = parent.bytes.subarray(at, at + (parent.bytes[at + 1]! + 1) * ENTRY_BYTES);
    const length = BigInt(folder.size);
    STREAM.encode({ flags: STREAM_FLAG.allocation, length, validLength: length }, set, ENTRY_BYTES);
    FILE.encode({ checksum: setChecksum(set) }, set);
    parent.dirty = true;
  }

  async #writeFolder(folder: OpenFolder): Promise<void> {
    let done = 0;
    for (const { start, length } of folder.runs) {
      const bytes = folder.bytes.subarray(done, done + length * this.#g.clusterSize);
      if (folder.fresh) await this.tx.writeFree(clusterOffset(this.#g, start), bytes);
      else await this.tx.write(clusterOffset(this.#g, start), bytes);
      done += bytes.length;
    }
  }

  async #writeFat(): Promise<void> {
    const entry = new Uint8Array(4);
    const view = new DataView(entry.buffer);
    for (const runs of this.#chains) {
      for (const [i, { start, length }] of runs.entries()) {
        for (let c = start; c < start + length; c++) {
          view.setUint32(0, c + 1 < start + length ? c + 1 : (runs[i + 1]?.start ?? END), true);
          await this.tx.write(fatStart(this.#g) + c * 4, entry);
        }
      }
    }
    view.setUint32(0, BAD, true);
    for (const { start, length } of this.#bad)
      for (let c = start; c < start + length; c++) await this.tx.write(fatStart(this.#g) + c * 4, entry);
  }
}

/** What else an entry's set refers to. */
const isBeside = (other: Owner, { at }: Owner): boolean =>
  other.kind === 'other' && other.at?.folder === at?.folder && other.at?.set === at?.set;

function attributeBits(facts: NewFileFacts, otherwise: number): number {
  if (!facts.attributes) return otherwise;
  return facts.attributes.reduce((bits, word) => bits | (ATTRIBUTE_BITS[word] ?? 0), 0);
}
