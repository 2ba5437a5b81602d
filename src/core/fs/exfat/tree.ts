/**
 * Everything on an exFAT volume that has clusters: bitmap, case table, root, folders and files, each with where it lies
 * and where its entry stands. One walk; no cluster chain is followed further than the volume has clusters.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import type { Run } from '../free-space';
import { fatStart, type ExfatGeometry } from './boot-region';
import { parseCaseTable } from './case-table';
import { badClusters } from './cluster-bits';
import {
  ATTRIBUTE,
  ENTRY_BYTES,
  FILE,
  IN_USE,
  LABEL,
  nameHash,
  nameIn,
  SECONDARY,
  setChecksum,
  STREAM,
  STREAM_FLAG,
  tableChecksum,
  timesOf,
  TYPE,
  unitsIn,
  UPCASE,
} from './entries';
import { BAD, NO_TIMES, readOwner, type ExfatTree, type Owner } from './owner';

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
    const rootRuns = this.#chain(g.rootCluster, g.clusterCount, 'the root');
    const size = rootRuns.reduce((sum, r) => sum + r.length, 0) * g.clusterSize;
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
    const content = await this.#folderBytes(root);
    const { bitmap, upcase } = this.#system(root, content);
    const bits = await readOwner(device, g, bitmap.runs, Math.ceil(g.clusterCount / 8));
    const stored = await readOwner(device, g, upcase.runs, upcase.size);
    const table = parseCaseTable(stored);
    if (!table) throw damaged('its case table makes no sense', 0);
    if (tableChecksum(stored) !== UPCASE.decode(content, upcase.at!.entry).checksum)
      this.#find('error', 'exfat.case-table', 'The checksum of the case table does not agree.');
    await this.#walk(root, content, table);
    const labelAt = positions(content).find((at) => content[at] === TYPE.label || content[at] === TYPE.noLabel);
    const entry = labelAt === undefined ? undefined : LABEL.decode(content, labelAt);
    const label = entry?.type === TYPE.label ? unitsIn(entry.units, Math.min(11, entry.count)) : '';
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
      const runs = clusters > clusterCount ? [] : this.#chain(firstCluster, clusters, `the ${kind}`);
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

  async #walk(root: Owner, content: Uint8Array, upcase: Uint16Array): Promise<void> {
    const waiting: { folder: Owner; content: Uint8Array; depth: number }[] = [{ folder: root, content, depth: 0 }];
    const seen = new Set<number>([this.g.rootCluster]);
    for (let next = waiting.pop(); next; next = waiting.pop()) {
      const { folder, content: bytes, depth } = next;
      for (const child of this.#children(folder, bytes, upcase)) {
        this.#owners.push(child);
        if (child.kind !== 'folder' || child.runs.length === 0) continue;
        const [first] = child.runs as [Run];
        if (seen.has(first.start) || depth >= MAX_DEPTH) {
          this.#find('error', 'exfat.loop', `The folder ${child.path} is reached twice.`);
          continue;
        }
        seen.add(first.start);
        waiting.push({ folder: child, content: await this.#folderBytes(child), depth: depth + 1 });
      }
    }
  }

  async #folderBytes({ runs, size, path }: Owner): Promise<Uint8Array> {
    if (size > MAX_FOLDER_BYTES) this.#find('error', 'exfat.folder', `The folder ${path} is longer than may be.`);
    return readOwner(this.device, this.g, runs, Math.min(size, MAX_FOLDER_BYTES));
  }

  /** What the sets of a folder say. A set that makes no sense is told and left out. */
  *#children(folder: Owner, content: Uint8Array, upcase: Uint16Array): Generator<Owner> {
    for (let at = 0; at + ENTRY_BYTES <= content.length; at += ENTRY_BYTES) {
      const type = content[at]!;
      if (type === 0) return;
      if ((type & IN_USE) === 0) continue;
      if (type !== TYPE.file) {
        if (folder.kind !== 'root' && (type & SECONDARY) === 0 && (type & 0x20) === 0)
          this.#find('error', 'exfat.entry', `An entry of the type ${type} stands in ${folder.path || 'the root'}.`);
        continue;
      }
      const count = content[at + 1]!;
      const setBytes = (count + 1) * ENTRY_BYTES;
      const set = content.subarray(at, at + setBytes);
      const whole = count >= 2 && count <= 18 && set.length === setBytes && set[ENTRY_BYTES] === TYPE.stream;
      const entry = FILE.decode(content, at);
      if (!whole || setChecksum(set) !== entry.checksum) {
        this.#find('error', 'exfat.set', `An entry of ${folder.path || 'the root'} is damaged.`);
        continue;
      }
      yield* this.#owned(folder, at, set, entry, upcase);
      at += setBytes - ENTRY_BYTES;
    }
  }

  *#owned(
    folder: Owner,
    at: number,
    set: Uint8Array,
    entry: ReturnType<typeof FILE.decode>,
    upcase: Uint16Array,
  ): Generator<Owner> {
    const stream = STREAM.decode(set, ENTRY_BYTES);
    const name = nameIn(set);
    const path = folder.path ? `${folder.path}/${name}` : name;
    if (name.length !== stream.nameLength || nameHash(name, upcase) !== stream.nameHash)
      this.#find('error', 'exfat.name', `The name of ${path} does not agree with its hash or length.`);
    const isFolder = (entry.attributes & ATTRIBUTE.folder) !== 0;
    const shared = { attributes: entry.attributes, times: () => timesOf(entry) };
    const place = { folder, set: at, setBytes: set.length };
    yield this.#allocated(isFolder ? 'folder' : 'file', path, stream, shared, { ...place, entry: at + ENTRY_BYTES });
    // Further entries of others may have clusters of their own, which move with everything else.
    for (let e = 2 * ENTRY_BYTES; e < set.length; e += ENTRY_BYTES) {
      if (set[e] === TYPE.name) continue;
      const other = STREAM.decode(set, e);
      if (other.flags & STREAM_FLAG.allocation && other.firstCluster !== 0)
        yield this.#allocated('other', `${path} (further data)`, other, shared, { ...place, entry: at + e });
    }
  }

  #allocated(
    kind: Owner['kind'],
    path: string,
    stream: ReturnType<typeof STREAM.decode>,
    shared: Pick<Owner, 'attributes' | 'times'>,
    at: NonNullable<Owner['at']>,
  ): Owner {
    const { clusterCount, clusterSize } = this.g;
    const size = stream.length > BigInt(Number.MAX_SAFE_INTEGER) ? Infinity : Number(stream.length);
    const validSize = Math.min(size, Number(kind === 'file' ? stream.validLength : stream.length));
    const clusters = Math.ceil(size / clusterSize);
    const contiguous = (stream.flags & STREAM_FLAG.contiguous) !== 0;
    const empty = stream.firstCluster === 0 && size === 0;
    let runs: Run[] = [];
    if (clusters > clusterCount) this.#find('error', 'exfat.size', `${path} is larger than its volume.`);
    else if (empty) runs = [];
    else if (contiguous) {
      const { firstCluster: start } = stream;
      if (start < 2 || start + clusters > clusterCount + 2)
        this.#find('error', 'exfat.range', `${path} leaves the volume.`);
      else if (clusters > 0) runs = [{ start, length: clusters }];
    } else runs = this.#chain(stream.firstCluster, clusters, path);
    if (kind === 'file' && stream.validLength > stream.length)
      this.#find('error', 'exfat.size', `${path} says more of it is valid than there is.`);
    const fits = Number.isFinite(size) ? size : 0;
    return { kind, path, runs, contiguous, size: fits, validSize: Math.min(fits, validSize), ...shared, at };
  }

  /** The chain from `first`, as many clusters as there should be. What is wrong with it is told. */
  #chain(first: number, clusters: number, path: string): Run[] {
    const runs: { start: number; length: number }[] = [];
    const root = path === 'the root';
    let cluster = first;
    for (let n = 0; n < clusters; n++) {
      if (cluster < 2 || cluster >= this.g.clusterCount + 2) {
        this.#find('error', 'exfat.chain', `The clusters of ${path} end after ${n} of ${clusters}.`);
        return runs;
      }
      const last = runs.at(-1);
      if (last && last.start + last.length === cluster) last.length += 1;
      else runs.push({ start: cluster, length: 1 });
      cluster = this.#fat[cluster]!;
      if (root && cluster >= BAD) break;
    }
    const ended = clusters === 0 || cluster >= BAD;
    if (!ended) this.#find('error', 'exfat.chain', `The clusters of ${path} do not end where its length says.`);
    return runs;
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }
}

const covers = ({ runs, size }: Owner, clusterSize: number): boolean =>
  runs.reduce((sum, r) => sum + r.length, 0) * clusterSize >= size;

/** Where the entries of a folder begin, up to its end mark. */
function positions(content: Uint8Array): number[] {
  const out: number[] = [];
  for (let at = 0; at + ENTRY_BYTES <= content.length && content[at] !== 0; at += ENTRY_BYTES) out.push(at);
  return out;
}

const damaged = (reason: string, offset: number): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'exFAT', reason, offset });
