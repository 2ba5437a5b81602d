/**
 * One pass over a FAT volume's folders and chains: what is on it, which cluster belongs to what, and what is wrong.
 *
 * Bounded by the volume itself: a cluster is entered once, so loops and crossed chains end where they meet; folders
 * are at most 65 536 entries long and nested at most 512 deep.
 */
import type { Finding } from '@/core/errors';
import type { FileEntry } from '../entry';
import { upToEndMark } from '../folder-bytes';
import { WaitingFolders } from '../waiting-folders';
import { BAD, FREE, isLink } from './allocation-table';
import { clusterOffset, DIRECTORY_ENTRY_BYTES, rootOffset } from './boot-sector';
import { ATTRIBUTE, eachEntry, ENTRY, MAX_DIRECTORY_ENTRIES, nameAt, startCluster } from './directory';
import { unpackLabel } from './names';
import { FatNode, FolderContent } from './nodes';
import { chainRuns, readRuns, type FatState } from './volume-state';

/** The outcome of the pass. */
export interface FatTree {
  readonly nodes: readonly Readonly<FatNode>[];
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
  readonly node: FatNode;
  readonly depth: number;
}

/** Walks the whole volume. @throws CoreError `device.read-failed` */
export async function scanTree(state: FatState): Promise<FatTree> {
  return new TreeScan(state).run();
}

class TreeScan {
  readonly #nodes: FatNode[] = [];
  readonly #findings: Finding[] = [];
  readonly #owner: Int32Array;
  readonly #waiting = new WaitingFolders(({ node, depth }: Folder) =>
    this.#content(node, depth, node.firstCluster, node.clusters),
  );
  #label: FatTree['label'];

  constructor(private readonly state: FatState) {
    this.#owner = new Int32Array(state.geometry.clusterCount + 2);
  }

  async run(): Promise<FatTree> {
    this.#goInto(await this.#root());
    for (let next = await this.#waiting.next(); next; next = await this.#waiting.next()) {
      const { folder, content } = next;
      folder.node.dots = hasDots(content.bytes);
      this.#judgeFolder(folder.node, folder.depth, true);
      this.#goInto(content);
    }
    this.#findLost();
    return {
      nodes: this.#nodes,
      findings: this.#findings,
      owner: this.#owner,
      label: this.#label,
    };
  }

  #goInto(folder: FolderContent): void {
    const children: Folder[] = [];
    const { orphans } = eachEntry(folder.bytes, (at, slots) => {
      const node = this.#visit(folder, at, slots);
      if (node) children.push({ node, depth: folder.depth + 1 });
    });
    if (orphans > 0) {
      const path = folder.node?.path ?? '';
      const message = `${orphans} long-name entries in ${path || 'the root'} belong to no file.`;
      this.#find('info', 'fat.long-name', message, path);
    }
    for (const child of children.reverse()) this.#waiting.push(child);
  }

  async #root(): Promise<FolderContent> {
    const { device, geometry: g } = this.state;
    if (g.kind !== 'fat32') {
      const start = rootOffset(g);
      const bytes = await device.bytes(start, g.rootEntries * DIRECTORY_ENTRY_BYTES);
      return new FolderContent(undefined, 0, bytes, [start], bytes.length);
    }
    const clusters = this.#claim(g.rootCluster, ROOT_OWNER, { path: 'the root folder' });
    return this.#content(undefined, 0, g.rootCluster, clusters);
  }

  async #content(node: FatNode | undefined, depth: number, first: number, clusters: number): Promise<FolderContent> {
    const g = this.state.geometry;
    const most = Math.ceil((MAX_DIRECTORY_ENTRIES * DIRECTORY_ENTRY_BYTES) / g.clusterSize);
    if (clusters > most) {
      const path = node?.path ?? '';
      this.#find('error', 'fat.folder-size', `The folder ${path || 'root'} is longer than a folder may be.`, path);
    }
    const runs = chainRuns(this.state, first, Math.min(clusters, most));
    const bytes = await readRuns(this.state, runs);
    const parts = runs.flatMap((run) => Array.from({ length: run.length }, (_, i) => clusterOffset(g, run.start + i)));
    return new FolderContent(node, depth, upToEndMark(bytes), parts, g.clusterSize);
  }

  /** Has an entry. @returns the folder it is, where there is one to be gone into */
  #visit(folder: FolderContent, at: number, slots: number): FatNode | undefined {
    const { bytes } = folder;
    const attributes = bytes[at + ENTRY.offsets.attributes]!;
    if (attributes & ATTRIBUTE.label) {
      if (!folder.node) this.#label ??= { text: unpackLabel(bytes.subarray(at)), offset: folder.offsetOf(at) };
      return undefined;
    }
    if (bytes[at] === DOT && ['.', '..'].includes(nameAt(bytes, at, slots))) return undefined;
    const kind = attributes & ATTRIBUTE.folder ? 'folder' : 'file';
    const first = startCluster(bytes, at, this.state.geometry.kind === 'fat32');
    const node = new FatNode(this.#nodes.length, folder, at, slots, kind, first);
    this.#nodes.push(node);
    if (first !== 0) node.clusters = this.#claim(first, node.id + 2, node);
    if (kind === 'file') this.#judgeFile(node);
    else if (node.clusters > 0 && folder.depth < MAX_DEPTH) return node;
    else this.#judgeFolder(node, folder.depth, false);
    return undefined;
  }

  #judgeFolder({ path, clusters, dots }: FatNode, depth: number, read: boolean): void {
    if (clusters === 0)
      this.#find('error', 'fat.folder-lost', `The folder ${path} has no content that can be read.`, path);
    else if (read && !dots)
      this.#find('warning', 'fat.no-dots', `The folder ${path} lacks the entries for itself and its parent.`, path);
    if (!read && depth >= MAX_DEPTH)
      this.#find('error', 'fat.too-deep', `${path.slice(0, 80)}… is nested too deep to be followed.`);
  }

  #judgeFile(node: FatNode): void {
    const { size, clusters, firstCluster } = node;
    const { clusterSize } = this.state.geometry;
    const needed = Math.ceil(size / clusterSize);
    if (clusters < needed) {
      const message = `${node.path} says it has ${size} bytes and its chain holds ${clusters * clusterSize}.`;
      this.#find('error', 'fat.short-chain', message, node.path);
    } else if (clusters > needed) {
      const message = `${node.path} holds ${clusters - needed} clusters beyond its ${size} bytes.`;
      this.#find('info', 'fat.long-chain', message, node.path);
    }
    if (firstCluster === 0 && size > 0)
      this.#find('error', 'fat.no-chain', `${node.path} has a size and no content.`, node.path);
  }

  /** Follows a chain and marks its clusters as `owner`'s; returns how many are its own. */
  #claim(first: number, owner: number, whose: Pick<FileEntry, 'path'>): number {
    const { geometry: g, table } = this.state;
    let cluster = first;
    let count = 0;
    for (; isLink(cluster, g.clusterCount); count++) {
      const held = this.#owner[cluster]!;
      if (held !== 0) {
        const loop = held === owner;
        const message = loop
          ? `The chain of ${whose.path} runs in a loop at cluster ${cluster}.`
          : `The chain of ${whose.path} crosses another file's at cluster ${cluster}.`;
        this.#find('error', loop ? 'fat.loop' : 'fat.cross-link', message, whose.path, clusterOffset(g, cluster));
        return count;
      }
      const next = table.get(cluster);
      if (next === FREE || next === BAD) {
        const what = next === FREE ? 'is marked free' : 'is marked bad';
        this.#find(
          'error',
          'fat.broken-chain',
          `The chain of ${whose.path} reaches cluster ${cluster}, which ${what}.`,
          whose.path,
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
        `The chain of ${whose.path} points to cluster ${cluster}, which does not exist.`,
        whose.path,
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

/** The byte that names of folders for themselves and their parents begin with. */
const DOT = 0x2e;

function hasDots(bytes: Uint8Array): boolean {
  const isDots = (at: number, dots: number): boolean =>
    bytes.length >= at + DIRECTORY_ENTRY_BYTES &&
    Array.from({ length: 11 }, (_, i) => bytes[at + i]).every((b, i) => b === (i < dots ? DOT : 0x20)) &&
    (bytes[at + 11]! & ATTRIBUTE.folder) !== 0;
  return isDots(0, 1) && isDots(DIRECTORY_ENTRY_BYTES, 2);
}
