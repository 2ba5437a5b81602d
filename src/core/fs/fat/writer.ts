/**
 * Adding folders and files to a FAT volume.
 *
 * New clusters are written straight to free space; the tables, the entries in existing folders and FSInfo are gathered
 * and written by {@link FatWriter.finish}. Folders are held in memory while the writer lives.
 */
import { CoreError } from '@/core/errors';
import { fillFree, lengthOf } from '../fill';
import type { NewContent, NewFileFacts, Transaction, VolumeWriter } from '../port';
import { END, FREE, type AllocationTable } from './allocation-table';
import { clusterOffset, DIRECTORY_ENTRY_BYTES, rootOffset, type FatGeometry } from './boot-sector';
import { ClusterAllocator } from './cluster-allocator';
import {
  ATTRIBUTE,
  attributeByte,
  buildSlots,
  MAX_DIRECTORY_ENTRIES,
  parseDirectory,
  startCluster,
  type RawEntry,
} from './directory';
import { assertName, ShortNames } from './names';
import { writeInfo, writeTables } from './patches';
import { isoToStamp } from '../dos-time';
import { chainRuns, readRuns, type ClusterRun, type FatState } from './volume-state';

const MAX_FILE_BYTES = 0xffffffff;
const DELETED = 0xe5;

/** An entry of a folder: where its chain begins, and where in the folder its slots stand. */
interface Named {
  readonly first: number;
  readonly folder: boolean;
  readonly at: number;
  readonly slots: number;
}

/** A folder being added to. */
interface OpenFolder {
  readonly first: number;
  clusters: number[];
  bytes: Uint8Array;
  end: number;
  dirty: boolean;
  /** Whether its clusters were free when the writer began. */
  readonly fresh: boolean;
  readonly shortNames: ShortNames;
  readonly names: Map<string, Named>;
}

/** Opens a writer on a volume. @throws CoreError `device.read-failed` */
export async function openWriter(state: FatState, tx: Transaction): Promise<VolumeWriter> {
  const { table } = state;
  return new FatWriter(state, table.resized(table.bytes.length), tx);
}

class FatWriter implements VolumeWriter {
  readonly #folders = new Map<string, OpenFolder>();
  /** First clusters of what was taken away. */
  readonly #freed: number[] = [];
  readonly #clusters: ClusterAllocator;

  constructor(
    private readonly state: FatState,
    private readonly table: AllocationTable,
    private readonly tx: Transaction,
  ) {
    this.#clusters = new ClusterAllocator(state.geometry, table);
  }

  get #g(): FatGeometry {
    return this.state.geometry;
  }

  async mkdir(path: string, facts: NewFileFacts = {}): Promise<void> {
    const { folder, name } = await this.#place(path);
    const [cluster] = this.#clusters.take(1, facts.placement?.near) as [number];
    this.table.set(cluster, END);
    const parentFirst = folder === this.#folders.get('') ? 0 : folder.first;
    const bytes = new Uint8Array(this.#g.clusterSize);
    const dots = (text: string, first: number, at: number): void =>
      bytes.set(buildSlots({ ...this.#entry(first, 0, facts, ATTRIBUTE.folder), name: dotName(text) }, undefined), at);
    dots('.', cluster, 0);
    dots('..', parentFirst, DIRECTORY_ENTRY_BYTES);
    this.#folders.set(keyOf(path), {
      first: cluster,
      clusters: [cluster],
      bytes,
      end: 2 * DIRECTORY_ENTRY_BYTES,
      dirty: true,
      fresh: true,
      shortNames: new ShortNames(),
      names: new Map(),
    });
    this.#add(folder, name, cluster, 0, facts, ATTRIBUTE.folder);
  }

  async writeFile(path: string, content: NewContent, facts: NewFileFacts = {}): Promise<void> {
    if (facts.streams?.length) throw new CoreError('fs.ability', { fileSystem: 'FAT', ability: 'hold named streams' });
    const size = lengthOf(content);
    if (size > MAX_FILE_BYTES)
      throw new CoreError('fs.name', { name: path, reason: 'a file on a FAT volume is smaller than 4 GiB' });
    const { folder, name } = await this.#place(path);
    const runs = this.#clusters.runs(Math.ceil(size / this.#g.clusterSize), facts.placement);
    this.#clusters.chain(runs);
    await this.#fill(runs, content);
    this.#add(folder, name, runs[0]?.start ?? 0, size, facts, ATTRIBUTE.archive);
  }

  async hardLink(): Promise<void> {
    throw new CoreError('fs.ability', { fileSystem: 'FAT', ability: 'give a file two names' });
  }

  async remove(path: string): Promise<void> {
    const cut = path.lastIndexOf('/');
    const folder = await this.#folder(cut < 0 ? '' : path.slice(0, cut));
    const key = path.slice(cut + 1).toUpperCase();
    const found = folder.names.get(key);
    if (!found) throw new CoreError('fs.not-found', { path });
    if (found.folder) {
      const own = await this.#folder(path);
      for (const name of [...own.names.keys()]) await this.remove(`${path}/${name}`);
      own.dirty = false;
      this.#folders.delete(keyOf(path));
    }
    for (let i = 0; i < found.slots; i++) folder.bytes[found.at + i * DIRECTORY_ENTRY_BYTES] = DELETED;
    folder.names.delete(key);
    folder.dirty = true;
    if (found.first > 0) this.#freed.push(found.first);
  }

  /** Chains that were given up, free once everything else has its clusters. */
  #freeChains(): void {
    for (const first of this.#freed)
      for (const run of chainRuns({ geometry: this.#g, table: this.table }, first, this.#g.clusterCount))
        for (let c = run.start; c < run.start + run.length; c++) this.table.set(c, FREE);
  }

  async finish(): Promise<void> {
    this.#freeChains();
    for (const folder of this.#folders.values()) if (folder.dirty) await this.#writeFolder(folder);
    await writeTables(this.#g, this.state.table.bytes, this.table, this.tx);
    await writeInfo(this.#g, this.table, this.#g.clusterCount, this.tx);
  }

  async #writeFolder(folder: OpenFolder): Promise<void> {
    const g = this.#g;
    if (folder.clusters.length === 0) return this.tx.write(rootOffset(g), folder.bytes);
    for (let i = 0; i < folder.clusters.length; i++) {
      const part = folder.bytes.subarray(i * g.clusterSize, (i + 1) * g.clusterSize);
      const offset = clusterOffset(g, folder.clusters[i]!);
      const wasFree = this.state.table.get(folder.clusters[i]!) === FREE;
      await (wasFree ? this.tx.writeFree(offset, part) : this.tx.write(offset, part));
    }
  }

  /** The folder a path goes into, and its name there. */
  async #place(path: string): Promise<{ folder: OpenFolder; name: string }> {
    const cut = path.lastIndexOf('/');
    const name = path.slice(cut + 1);
    assertName(name);
    const folder = await this.#folder(cut < 0 ? '' : path.slice(0, cut));
    if (folder.names.has(name.toUpperCase())) throw new CoreError('fs.exists', { path });
    return { folder, name };
  }

  async #folder(path: string): Promise<OpenFolder> {
    const known = this.#folders.get(keyOf(path));
    if (known) return known;
    if (path === '') return this.#load(path, this.#g.rootCluster);
    const cut = path.lastIndexOf('/');
    const parent = await this.#folder(cut < 0 ? '' : path.slice(0, cut));
    const found = parent.names.get(path.slice(cut + 1).toUpperCase());
    if (!found?.folder) throw new CoreError('fs.not-found', { path });
    return this.#load(path, found.first);
  }

  async #load(path: string, first: number): Promise<OpenFolder> {
    const g = this.#g;
    const runs = first === 0 ? [] : chainRuns({ geometry: g, table: this.table }, first, g.clusterCount);
    const bytes =
      first === 0
        ? await this.state.device.bytes(rootOffset(g), g.rootEntries * DIRECTORY_ENTRY_BYTES)
        : await readRuns(this.state, runs);
    const parsed = parseDirectory(bytes);
    // Behind the end mark there may be anything; it must not come to light when the mark moves.
    bytes.fill(0, parsed.end);
    const shortNames = new ShortNames();
    const names: OpenFolder['names'] = new Map();
    for (const { name, entry, at, slots } of parsed.entries) {
      if (entry.attributes & ATTRIBUTE.label || name === '.' || name === '..') continue;
      shortNames.take(entry.name);
      names.set(name.toUpperCase(), {
        first: startCluster(bytes, at, g.kind === 'fat32'),
        folder: (entry.attributes & ATTRIBUTE.folder) !== 0,
        at: at - (slots - 1) * DIRECTORY_ENTRY_BYTES,
        slots,
      });
    }
    const clusters = runs.flatMap((run) => Array.from({ length: run.length }, (_, i) => run.start + i));
    const folder: OpenFolder = {
      first,
      clusters,
      bytes,
      end: parsed.end,
      dirty: false,
      fresh: false,
      shortNames,
      names,
    };
    this.#folders.set(keyOf(path), folder);
    return folder;
  }

  #add(folder: OpenFolder, name: string, first: number, size: number, facts: NewFileFacts, kind: number): void {
    const short = folder.shortNames.next(name);
    const slots = buildSlots(
      { ...this.#entry(first, size, facts, kind), name: short.raw },
      short.needsLong ? name : undefined,
    );
    this.#makeRoom(folder, slots.length);
    folder.bytes.set(slots, folder.end);
    const at = folder.end;
    folder.end += slots.length;
    folder.dirty = true;
    const count = slots.length / DIRECTORY_ENTRY_BYTES;
    folder.names.set(name.toUpperCase(), { first, folder: kind === ATTRIBUTE.folder, at, slots: count });
  }

  #entry(first: number, size: number, facts: NewFileFacts, kind: number): Partial<RawEntry> {
    const created = isoToStamp(facts.times?.created ?? facts.times?.modified);
    const modified = isoToStamp(facts.times?.modified);
    const words = facts.attributes ? attributeByte(facts.attributes) : 0;
    const archive = facts.attributes ? 0 : ATTRIBUTE.archive;
    return {
      attributes: kind === ATTRIBUTE.folder ? words | ATTRIBUTE.folder : words | archive,
      caseFlags: 0,
      createdHundredths: created.hundredths,
      createdTime: created.time,
      createdDate: created.date,
      accessedDate: isoToStamp(facts.times?.accessed ?? facts.times?.modified).date,
      clusterHigh: first >>> 16,
      modifiedTime: modified.time,
      modifiedDate: modified.date,
      clusterLow: first & 0xffff,
      size,
    };
  }

  #makeRoom(folder: OpenFolder, needed: number): void {
    if (folder.end + needed <= folder.bytes.length) return;
    const tooLong = folder.end + needed > MAX_DIRECTORY_ENTRIES * DIRECTORY_ENTRY_BYTES;
    if (tooLong || folder.clusters.length === 0)
      throw new CoreError('fs.full', { needed, free: folder.bytes.length - folder.end });
    const [cluster] = this.#clusters.take(1, undefined) as [number];
    this.table.set(folder.clusters.at(-1)!, cluster);
    this.table.set(cluster, END);
    folder.clusters.push(cluster);
    const bytes = new Uint8Array(folder.bytes.length + this.#g.clusterSize);
    bytes.set(folder.bytes);
    folder.bytes = bytes;
  }

  #fill(runs: readonly ClusterRun[], content: NewContent): Promise<void> {
    const g = this.#g;
    const rooms = runs.map((r) => ({ offset: clusterOffset(g, r.start), length: r.length * g.clusterSize }));
    return fillFree(this.tx, rooms, content);
  }
}

/** Paths that differ only in case are the same folder. */
const keyOf = (path: string): string => path.toUpperCase();

function dotName(dots: string): Uint8Array {
  const raw = new Uint8Array(11).fill(0x20);
  [...dots].forEach((_, i) => (raw[i] = 0x2e));
  return raw;
}
