/**
 * Everything on an exFAT volume that has clusters: bitmap, case table, root, folders and files, each with where it lies
 * and where its entry stands. One walk; no cluster chain is followed further than the volume has clusters.
 */
import { u16At, u32At, u64At, utf16 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { upToEndMark } from '../folder-bytes';
import type { Run } from '../free-space';
import { WaitingFolders } from '../waiting-folders';
import { fatStart, type ExfatGeometry } from './boot-region';
import { parseCaseTable } from './case-table';
import { badClusters } from './cluster-bits';
import {
  ATTRIBUTE,
  ENTRY_BYTES,
  FILE,
  IN_USE,
  LABEL,
  nameHashIn,
  nameLengthIn,
  SECONDARY,
  setChecksum,
  STREAM,
  STREAM_FLAG,
  tableChecksum,
  TYPE,
  UPCASE,
} from './entries';
import { EntryOwner, pathAt, type EntryPlace, type FolderContent } from './entry-owner';
import { BAD, clustersOf, NO_TIMES, readOwner, type ExfatTree, type Owner } from './owner';

const MAX_FOLDER_BYTES = 256 * 1024 * 1024;
const MAX_DEPTH = 256;
const MAX_FINDINGS = 1000;

/** @throws CoreError `fs.damaged` when bitmap, case table or root can't be read */
export async function readTree(device: BlockDevice, g: ExfatGeometry): Promise<ExfatTree> {
  return new TreeReader(device, g).read();
}

class TreeReader {
  readonly #owners: Owner[] = [];
  readonly #findings: Finding[] = [];
  #fat!: Uint32Array;

  constructor(
    private readonly device: BlockDevice,
    private readonly g: ExfatGeometry,
  ) {}

  async read(): Promise<ExfatTree> {
    const { device, g } = this;
    const bytes = await device.bytes(fatStart(g), (g.clusterCount + 2) * 4);
    this.#fat = new Uint32Array(bytes.buffer, bytes.byteOffset, g.clusterCount + 2);
    const rootRuns = this.#chain(g.rootCluster, g.clusterCount, () => 'the root', true);
    const size = clustersOf(rootRuns) * g.clusterSize;
    const root: Owner = {
      kind: 'root',
      path: '',
      runs: rootRuns,
      contiguous: false,
      size,
      validSize: size,
      attributes: ATTRIBUTE.folder,
      times: NO_TIMES,
    };
    this.#owners.push(root);
    const folder = await this.#content(root);
    const content = folder.bytes;
    const { bitmap, upcase } = this.#system(root, content);
    const bits = await readOwner(device, g, bitmap.runs, Math.ceil(g.clusterCount / 8));
    const stored = await readOwner(device, g, upcase.runs, upcase.size);
    const table = parseCaseTable(stored);
    if (!table) throw damaged('its case table makes no sense', 0);
    if (tableChecksum(stored) !== UPCASE.decode(content, upcase.at!.entry).checksum)
      this.#find('error', 'exfat.case-table', 'The checksum of the case table does not agree.');
    await this.#walk(folder, table);
    const labelAt = positions(content).find((at) => content[at] === TYPE.label || content[at] === TYPE.noLabel);
    const entry = labelAt === undefined ? undefined : LABEL.decode(content, labelAt);
    const label = entry?.type === TYPE.label ? utf16(entry.units, 0, 2 * Math.min(11, entry.count)) : '';
    const { fat, owners, findings } = { fat: this.#fat, owners: this.#owners, findings: this.#findings };
    const bad = badClusters(fat, g.clusterCount);
    const taken = bits.map((byte, i) => byte | bad[i]!);
    return { fat, owners, root, bitmap, bits, bad, taken, upcase: table, label, labelAt, findings };
  }

  #system(root: Owner, content: Uint8Array): { bitmap: Owner; upcase: Owner } {
    const { clusterCount, clusterSize } = this.g;
    const found: { bitmap?: Owner; upcase?: Owner } = {};
    for (const at of positions(content)) {
      const type = content[at];
      if (type !== TYPE.bitmap && type !== TYPE.upcase) continue;
      const kind = type === TYPE.bitmap ? ('bitmap' as const) : ('upcase' as const);
      // A second bitmap belongs to the second table of a volume with two.
      if (kind === 'bitmap' && (content[at + 1]! & 1) !== 0) continue;
      const { firstCluster, length } = STREAM.decode(content, at);
      const size = Number(length);
      const clusters = Math.ceil(size / clusterSize);
      const runs = clusters > clusterCount ? [] : this.#chain(firstCluster, clusters, () => `the ${kind}`);
      const owner: Owner = {
        kind,
        path: kind === 'bitmap' ? '(allocation bitmap)' : '(case table)',
        runs,
        contiguous: false,
        size,
        validSize: size,
        attributes: 0,
        times: NO_TIMES,
        at: { folder: root, set: at, setBytes: 0, entry: at },
      };
      found[kind] ??= owner;
    }
    const { bitmap, upcase } = found;
    if (!bitmap || bitmap.size < Math.ceil(clusterCount / 8) || !covers(bitmap, clusterSize))
      throw damaged('its allocation bitmap is missing or too short', 0);
    if (!upcase || upcase.size > 2 * 65_536 || !covers(upcase, clusterSize))
      throw damaged('its case table is missing', 0);
    this.#owners.push(bitmap, upcase);
    return { bitmap, upcase };
  }

  async #walk(root: FolderContent, upcase: Uint16Array): Promise<void> {
    const waiting = new WaitingFolders(({ owner }: { owner: Owner; depth: number }) => this.#content(owner));
    const seen = new Set<number>([this.g.rootCluster]);
    let clusters = clustersOf(root.owner.runs);
    const goInto = (content: FolderContent, depth: number): void =>
      this.#children(content, upcase, (child) => {
        this.#owners.push(child);
        const [first] = child.kind === 'folder' ? child.runs : [];
        if (!first) return;
        if (seen.has(first.start) || depth >= MAX_DEPTH) {
          this.#find('error', 'exfat.loop', `The folder ${child.path} is reached twice.`);
          return;
        }
        seen.add(first.start);
        // What folders share would be gone over, and kept, once for each of them.
        clusters += clustersOf(child.runs);
        if (clusters > this.g.clusterCount)
          this.#find('error', 'exfat.cross-link', `The folder ${child.path} shares its clusters with others.`);
        else waiting.push({ owner: child, depth: depth + 1 });
      });
    goInto(root, 0);
    for (let next = await waiting.next(); next; next = await waiting.next()) goInto(next.content, next.folder.depth);
  }

  async #content(owner: Owner): Promise<FolderContent> {
    const { runs, size, path } = owner;
    if (size > MAX_FOLDER_BYTES) this.#find('error', 'exfat.folder', `The folder ${path} is longer than may be.`);
    const bytes = await readOwner(this.device, this.g, runs, Math.min(size, MAX_FOLDER_BYTES));
    return { owner, bytes: upToEndMark(bytes) };
  }

  /** What the sets of a folder say. A set that makes no sense is told and left out. */
  #children(folder: FolderContent, upcase: Uint16Array, take: (owner: Owner) => void): void {
    const { owner, bytes } = folder;
    for (let at = 0; at + ENTRY_BYTES <= bytes.length; at += ENTRY_BYTES) {
      const type = bytes[at]!;
      if ((type & IN_USE) === 0) continue;
      if (type !== TYPE.file) {
        if (owner.kind !== 'root' && (type & SECONDARY) === 0 && (type & 0x20) === 0)
          this.#find('error', 'exfat.entry', `An entry of the type ${type} stands in ${owner.path || 'the root'}.`);
        continue;
      }
      const count = bytes[at + 1]!;
      const setBytes = (count + 1) * ENTRY_BYTES;
      const fits = count >= 2 && count <= 18 && at + setBytes <= bytes.length;
      const whole = fits && bytes[at + ENTRY_BYTES] === TYPE.stream;
      if (!whole || setChecksum(bytes, at, setBytes) !== u16At(bytes, at + FILE.offsets.checksum)) {
        this.#find('error', 'exfat.set', `An entry of ${owner.path || 'the root'} is damaged.`);
        continue;
      }
      this.#owned(folder, at, setBytes, upcase, take);
      at += setBytes - ENTRY_BYTES;
    }
  }

  #owned(
    folder: FolderContent,
    set: number,
    setBytes: number,
    upcase: Uint16Array,
    take: (owner: Owner) => void,
  ): void {
    const { bytes } = folder;
    const stream = set + ENTRY_BYTES;
    const isFolder = (u16At(bytes, set + FILE.offsets.attributes) & ATTRIBUTE.folder) !== 0;
    const kind = isFolder ? 'folder' : 'file';
    const place = { folder, set, setBytes, entry: stream };
    const units = nameLengthIn(bytes, set, setBytes);
    const { nameLength, nameHash } = STREAM.offsets;
    const agrees =
      units === bytes[stream + nameLength] && nameHashIn(bytes, set, units, upcase) === u16At(bytes, stream + nameHash);
    if (!agrees) {
      const message = `The name of ${pathAt(place, kind)} does not agree with its hash or length.`;
      this.#find('error', 'exfat.name', message);
    }
    take(this.#allocated(kind, place));
    // Further entries of others may have clusters of their own, which move with everything else.
    for (let entry = stream + ENTRY_BYTES; entry < set + setBytes; entry += ENTRY_BYTES) {
      if (bytes[entry] === TYPE.name) continue;
      const first = u32At(bytes, entry + STREAM.offsets.firstCluster);
      if (bytes[entry + STREAM.offsets.flags]! & STREAM_FLAG.allocation && first !== 0)
        take(this.#allocated('other', { ...place, entry }));
    }
  }

  #allocated(kind: Owner['kind'], place: EntryPlace): Owner {
    const { clusterCount, clusterSize } = this.g;
    const { bytes } = place.folder;
    const { flags, firstCluster, length, validLength } = STREAM.offsets;
    const size = u64At(bytes, place.entry + length);
    const start = u32At(bytes, place.entry + firstCluster);
    const clusters = Math.ceil(size / clusterSize);
    const contiguous = (bytes[place.entry + flags]! & STREAM_FLAG.contiguous) !== 0;
    const path = (): string => pathAt(place, kind);
    let runs: readonly Run[] = [];
    if (clusters > clusterCount) this.#find('error', 'exfat.size', `${path()} is larger than its volume.`);
    else if (start === 0 && size === 0) runs = [];
    else if (contiguous) {
      if (start < 2 || start + clusters > clusterCount + 2)
        this.#find('error', 'exfat.range', `${path()} leaves the volume.`);
      else if (clusters > 0) runs = [{ start, length: clusters }];
    } else runs = this.#chain(start, clusters, path);
    if (kind === 'file' && u64At(bytes, place.entry + validLength) > size)
      this.#find('error', 'exfat.size', `${path()} says more of it is valid than there is.`);
    return new EntryOwner(kind, place, contiguous, runs);
  }

  /** The chain from `first`, as many clusters as there should be. What is wrong with it is told. */
  #chain(first: number, clusters: number, path: () => string, root = false): Run[] {
    const runs: { start: number; length: number }[] = [];
    let cluster = first;
    for (let n = 0; n < clusters; n++) {
      if (cluster < 2 || cluster >= this.g.clusterCount + 2) {
        this.#find('error', 'exfat.chain', `The clusters of ${path()} end after ${n} of ${clusters}.`);
        return runs;
      }
      const last = runs.at(-1);
      if (last && last.start + last.length === cluster) last.length += 1;
      else runs.push({ start: cluster, length: 1 });
      cluster = this.#fat[cluster]!;
      if (root && cluster >= BAD) break;
    }
    const ended = clusters === 0 || cluster >= BAD;
    if (!ended) this.#find('error', 'exfat.chain', `The clusters of ${path()} do not end where its length says.`);
    return runs;
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }
}

const covers = ({ runs, size }: Owner, clusterSize: number): boolean => clustersOf(runs) * clusterSize >= size;

/** Where the entries of a folder begin. */
const positions = (content: Uint8Array): number[] =>
  Array.from({ length: Math.floor(content.length / ENTRY_BYTES) }, (_, i) => i * ENTRY_BYTES);

const damaged = (reason: string, offset: number): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'exFAT', reason, offset });
