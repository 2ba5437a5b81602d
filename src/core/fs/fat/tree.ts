/**
 * One pass over a FAT volume's folders and chains: what is on it, which cluster belongs to what, and what is wrong.
 *
 * Bounded by the volume itself: a cluster is entered once, so loops and crossed chains end where they meet; folders
 * are at most 65 536 entries long and nested at most 512 deep.
 */
import type { Finding } from '@/core/errors';
import type { FileEntry, FileTimes } from '../entry';
import { BAD, FREE, isLink } from './allocation-table';
import { clusterOffset, DIRECTORY_ENTRY_BYTES, rootOffset } from './boot-sector';
import {
  ATTRIBUTE,
  attributeWords,
  MAX_DIRECTORY_ENTRIES,
  parseDirectory,
  startCluster,
  type ParsedEntry,
  type RawEntry,
} from './directory';
import { unpackLabel } from './names';
import { dateToIso, stampToIso } from '../dos-time';
import { chainRuns, readRuns, type FatState } from './volume-state';

/** A file or folder. What few ask for is put into words when it is asked for. */
class FatNode implements FileEntry {
  constructor(
    /** Its index in {@link FatTree.nodes}. */
    readonly id: number,
    readonly path: string,
    readonly kind: 'file' | 'folder',
    readonly firstCluster: number,
    /** Clusters of its chain that are its own. */
    readonly clusters: number,
    /** Byte offset of its short entry on the volume. */
    readonly entryOffset: number,
    /** Index of its folder in {@link FatTree.nodes}, or -1 for the root. */
    readonly parent: number,
    /** Whether a folder opens with the entries for itself and its parent. */
    readonly dots: boolean,
    private readonly entry: RawEntry,
  ) {}

  get size(): number {
    return this.kind === 'folder' ? 0 : this.entry.size;
  }

  get attributes(): readonly string[] {
    return attributeWords(this.entry.attributes);
  }

  get times(): FileTimes {
    const e = this.entry;
    return {
      created: stampToIso({ date: e.createdDate, time: e.createdTime, hundredths: e.createdHundredths }),
      modified: stampToIso({ date: e.modifiedDate, time: e.modifiedTime }),
      accessed: dateToIso(e.accessedDate),
    };
  }
}

/** The outcome of the pass. */
export interface FatTree {
  readonly nodes: readonly FatNode[];
  readonly findings: readonly Finding[];
  /** Per cluster: 0 for none, {@link ROOT_OWNER}, or the node's index + 2. */
  readonly owner: Int32Array;
  /** The label entry of the root, if there is one. */
  readonly label: { readonly text: string; readonly offset: number } | undefined;
}

const ROOT_OWNER = 1;
const MAX_DEPTH = 512;
const MAX_FINDINGS = 1000;

interface Folder {
  readonly node: number;
  readonly path: string;
  readonly depth: number;
  readonly bytes: Uint8Array;
  /** Byte offset on the volume of a byte index in the folder. */
  readonly offsetOf: (at: number) => number;
}

/** Walks the whole volume. @throws CoreError `device.read-failed` */
export async function scanTree(state: FatState): Promise<FatTree> {
  return new TreeScan(state).run();
}

class TreeScan {
  readonly #nodes: FatNode[] = [];
  readonly #findings: Finding[] = [];
  readonly #owner: Int32Array;
  #label: FatTree['label'];

  constructor(private readonly state: FatState) {
    this.#owner = new Int32Array(state.geometry.clusterCount + 2);
  }

  async run(): Promise<FatTree> {
    const pending: Folder[] = [await this.#root()];
    for (let folder = pending.pop(); folder; folder = pending.pop()) {
      const parsed = parseDirectory(folder.bytes);
      if (parsed.orphans > 0) {
        const message = `${parsed.orphans} long-name entries in ${folder.path || 'the root'} belong to no file.`;
        this.#find('info', 'fat.long-name', message, folder.path);
      }
      const children: Folder[] = [];
      for (const entry of parsed.entries) {
        // To wait for each file takes longer than all else that is done for it.
        const reading = this.#visit(folder, entry);
        if (reading) children.push(await reading);
      }
      pending.push(...children.reverse());
    }
    this.#findLost();
    return {
      nodes: this.#nodes,
      findings: this.#findings,
      owner: this.#owner,
      label: this.#label,
    };
  }

  async #root(): Promise<Folder> {
    const { device, geometry: g } = this.state;
    if (g.kind !== 'fat32') {
      const start = rootOffset(g);
      const bytes = await device.bytes(start, g.rootEntries * DIRECTORY_ENTRY_BYTES);
      return { node: -1, path: '', depth: 0, bytes, offsetOf: (at) => start + at };
    }
    const clusters = this.#claim(g.rootCluster, ROOT_OWNER, 'the root folder');
    return this.#folder(-1, '', 0, g.rootCluster, clusters);
  }

  async #folder(node: number, path: string, depth: number, first: number, clusters: number): Promise<Folder> {
    const g = this.state.geometry;
    const most = Math.ceil((MAX_DIRECTORY_ENTRIES * DIRECTORY_ENTRY_BYTES) / g.clusterSize);
    if (clusters > most)
      this.#find('error', 'fat.folder-size', `The folder ${path || 'root'} is longer than a folder may be.`, path);
    const runs = chainRuns(this.state, first, Math.min(clusters, most));
    const bytes = await readRuns(this.state, runs);
    const numbers = runs.flatMap((run) => Array.from({ length: run.length }, (_, i) => run.start + i));
    const offsetOf = (at: number): number =>
      clusterOffset(g, numbers[Math.floor(at / g.clusterSize)]!) + (at % g.clusterSize);
    return { node, path, depth, bytes, offsetOf };
  }

  /** Has an entry. @returns the folder it is, where there is one to be gone into */
  #visit(folder: Folder, { at, name, entry }: ParsedEntry): Promise<Folder> | undefined {
    const g = this.state.geometry;
    if (entry.attributes & ATTRIBUTE.label) {
      if (folder.node < 0) this.#label ??= { text: unpackLabel(entry.name), offset: folder.offsetOf(at) };
      return undefined;
    }
    if (entry.name[0] === 0x2e && (name === '.' || name === '..')) return undefined;
    const path = folder.path ? `${folder.path}/${name}` : name;
    const isFolder = (entry.attributes & ATTRIBUTE.folder) !== 0;
    const first = startCluster(entry, g.kind === 'fat32');
    const index = this.#nodes.length;
    const clusters = first === 0 ? 0 : this.#claim(first, index + 2, path);
    const descend = isFolder && clusters > 0 && folder.depth < MAX_DEPTH;
    const put = (dots: boolean): void => {
      const kind = isFolder ? 'folder' : 'file';
      const offset = folder.offsetOf(at);
      this.#nodes.push(new FatNode(index, path, kind, first, clusters, offset, folder.node, dots, entry));
      this.#judge(path, isFolder, entry.size, first, clusters, dots, folder.depth);
    };
    if (!descend) return void put(false);
    return this.#folder(index, path, folder.depth + 1, first, clusters).then((child) => {
      put(hasDots(child.bytes));
      return child;
    });
  }

  #judge(
    path: string,
    isFolder: boolean,
    size: number,
    first: number,
    clusters: number,
    dots: boolean,
    depth: number,
  ): void {
    const { clusterSize } = this.state.geometry;
    if (isFolder) {
      if (clusters === 0)
        this.#find('error', 'fat.folder-lost', `The folder ${path} has no content that can be read.`, path);
      else if (!dots)
        this.#find('warning', 'fat.no-dots', `The folder ${path} lacks the entries for itself and its parent.`, path);
      if (depth >= MAX_DEPTH)
        this.#find('error', 'fat.too-deep', `${path.slice(0, 80)}… is nested too deep to be followed.`);
      return;
    }
    const needed = Math.ceil(size / clusterSize);
    if (clusters < needed) {
      this.#find(
        'error',
        'fat.short-chain',
        `${path} says it has ${size} bytes and its chain holds ${clusters * clusterSize}.`,
        path,
      );
    } else if (clusters > needed) {
      this.#find(
        'info',
        'fat.long-chain',
        `${path} holds ${clusters - needed} clusters beyond its ${size} bytes.`,
        path,
      );
    }
    if (first === 0 && size > 0) this.#find('error', 'fat.no-chain', `${path} has a size and no content.`, path);
  }

  /** Follows a chain and marks its clusters as `owner`'s; returns how many are its own. */
  #claim(first: number, owner: number, path: string): number {
    const { geometry: g, table } = this.state;
    let cluster = first;
    let count = 0;
    for (; isLink(cluster, g.clusterCount); count++) {
      const held = this.#owner[cluster]!;
      if (held !== 0) {
        const loop = held === owner;
        const message = loop
          ? `The chain of ${path} runs in a loop at cluster ${cluster}.`
          : `The chain of ${path} crosses another file's at cluster ${cluster}.`;
        this.#find('error', loop ? 'fat.loop' : 'fat.cross-link', message, path, clusterOffset(g, cluster));
        return count;
      }
      const next = table.get(cluster);
      if (next === FREE || next === BAD) {
        const what = next === FREE ? 'is marked free' : 'is marked bad';
        this.#find(
          'error',
          'fat.broken-chain',
          `The chain of ${path} reaches cluster ${cluster}, which ${what}.`,
          path,
          clusterOffset(g, cluster),
        );
        return count;
      }
      this.#owner[cluster] = owner;
      cluster = next;
    }
    if (cluster < BAD) {
      this.#find(
        'error',
        'fat.bad-link',
        `The chain of ${path} points to cluster ${cluster}, which does not exist.`,
        path,
      );
    }
    return count;
  }

  #findLost(): void {
    const { geometry: g, table, inUse } = this.state;
    let lost = 0;
    for (const { start, length } of inUse) {
      for (let cluster = start; cluster < start + length; cluster++) {
        const value = table.get(cluster);
        if (this.#owner[cluster] !== 0) continue;
        lost += 1;
        // A stray chain is carried along with its links, so a link to nowhere must stop a change like any other.
        if (value < BAD && !isLink(value, g.clusterCount))
          this.#find(
            'error',
            'fat.bad-link',
            `Lost cluster ${cluster} points to cluster ${value}, which does not exist.`,
          );
      }
    }
    if (lost > 0)
      this.#find('warning', 'fat.lost-clusters', `${lost} clusters are in use and belong to no file. They are kept.`);
  }

  #find(severity: Finding['severity'], code: string, message: string, path?: string, offset?: number): void {
    if (this.#findings.length >= MAX_FINDINGS) return;
    this.#findings.push({
      severity,
      code,
      message,
      ...(path ? { path } : {}),
      ...(offset === undefined ? {} : { offset }),
    });
  }
}

function hasDots(bytes: Uint8Array): boolean {
  const isDots = (at: number, dots: number): boolean =>
    bytes.length >= at + DIRECTORY_ENTRY_BYTES &&
    Array.from({ length: 11 }, (_, i) => bytes[at + i]).every((b, i) => b === (i < dots ? 0x2e : 0x20)) &&
    (bytes[at + 11]! & ATTRIBUTE.folder) !== 0;
  return isDots(0, 1) && isDots(DIRECTORY_ENTRY_BYTES, 2);
}
