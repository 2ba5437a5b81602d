/** An open FAT volume behind the port. */
import { CoreError, markOverridable, type Finding } from '@/core/errors';
import type { EntryDetails, FileEntry } from '../entry';
import type { Beyond, ByteRange, ContentRun, SizeLimits, Transaction, Volume, VolumeInfo, VolumeWriter } from '../port';
import { outOfUse } from '../retired';
import { BAD, FREE } from './allocation-table';
import { clusterOffset, DIRECTORY_ENTRY_BYTES, EXTENDED_16, EXTENDED_32 } from './boot-sector';
import { checkVolume } from './check';
import { growFat } from './grow';
import { FAT_KINDS } from './kinds';
import { sizeLimits } from './limits';
import { unpackLabel } from './names';
import { writeBoot, writeTables } from './patches';
import { identifyVolume, relabelVolume } from './relabel';
import { retireFat, shrinkFat } from './shrink';
import { scanTree, type FatTree } from './tree';
import { chainRuns, loadState, type FatState } from './volume-state';
import type { BlockDevice } from '@/core/device';
import { openWriter } from './writer';

const MAX_BEYOND_ITEMS = 200;
/** Findings that make carrying data unsafe whatever anyone says. */
const NEVER_OVERRIDDEN = new Set(['fat.loop', 'fat.cross-link', 'fat.bad-link', 'fat.broken-chain']);

/** Marks those that are none of these. */
const overridable = (findings: readonly Finding[]): readonly Finding[] =>
  markOverridable(findings, (code) => !NEVER_OVERRIDDEN.has(code));

/** Opens the volume that begins at the device's start. @throws CoreError `fs.damaged` */
export async function openFat(device: BlockDevice): Promise<Volume> {
  const state = await loadState(device);
  return new FatVolume(state, await scanTree(state));
}

class FatVolume implements Volume {
  readonly info: VolumeInfo;
  #findings: Promise<readonly Finding[]> | undefined;

  constructor(
    private readonly state: FatState,
    private readonly tree: FatTree,
  ) {
    this.info = describe(state, tree);
  }

  check(): Promise<readonly Finding[]> {
    return (this.#findings ??= checkVolume(this.state, this.tree).then(overridable));
  }

  async limits(): Promise<SizeLimits> {
    const limits = sizeLimits(this.state);
    const fault = (await this.check()).find((f) => NEVER_OVERRIDDEN.has(f.code));
    if (!fault) return limits;
    const reason = `its chains are damaged, so nothing in it can be carried: ${fault.message}`;
    const { size } = this.info;
    return {
      floor: { bytes: size, reason, holds: [{ what: 'damaged chains', bytes: size }] },
      ceiling: { bytes: size, reason },
    };
  }

  async allocation(): Promise<readonly ByteRange[]> {
    const { geometry: g, inUse } = this.state;
    const ranges: { start: number; end: number }[] = [{ start: 0, end: g.dataStart * g.sectorSize }];
    for (const { start: cluster, length } of inUse) {
      const start = clusterOffset(g, cluster);
      const end = start + length * g.clusterSize;
      const last = ranges.at(-1)!;
      if (last.end === start) last.end = end;
      else ranges.push({ start, end });
    }
    return ranges;
  }

  async immovable(): Promise<readonly ByteRange[]> {
    const { dataStart, sectorSize } = this.state.geometry;
    return [{ start: 0, end: dataStart * sectorSize }];
  }

  async beyond(end: number): Promise<Beyond> {
    const { geometry: g, table } = this.state;
    const first = Math.max(2, Math.floor((end / g.sectorSize - g.dataStart) / g.sectorsPerCluster) + 2);
    const clusters = new Map<number, number>();
    let total = 0;
    for (let cluster = first; cluster < g.clusterCount + 2; cluster++) {
      const value = table.get(cluster);
      if (value === FREE || value === BAD) continue;
      const owner = this.tree.owner[cluster]!;
      clusters.set(owner, (clusters.get(owner) ?? 0) + 1);
      total += 1;
    }
    const items = [...clusters]
      .map(([owner, count]) => ({ path: this.#ownerPath(owner), bytes: count * g.clusterSize }))
      .sort((a, b) => b.bytes - a.bytes || (a.path < b.path ? -1 : 1))
      .slice(0, MAX_BEYOND_ITEMS);
    return { bytes: total * g.clusterSize, items };
  }

  #ownerPath(owner: number): string {
    if (owner === 0) return '(belongs to no file)';
    return owner === 1 ? '(root folder)' : this.tree.nodes[owner - 2]!.path;
  }

  async *walk(): AsyncGenerator<FileEntry> {
    yield* this.tree.nodes;
  }

  async *content(entry: FileEntry): AsyncGenerator<ContentRun> {
    const node = this.tree.nodes[entry.id];
    if (!node) throw new CoreError('fs.not-found', { path: entry.path });
    const { geometry: g } = this.state;
    let left = node.size;
    for (const run of chainRuns(this.state, node.firstCluster, node.clusters)) {
      const length = Math.min(left, run.length * g.clusterSize);
      if (length > 0) yield { kind: 'at', offset: clusterOffset(g, run.start), length };
      left -= length;
    }
    if (left > 0) {
      const reason = `${entry.path} ends ${left} bytes before its size`;
      throw new CoreError('fs.damaged', { fileSystem: this.info.title, reason, offset: node.entryOffset });
    }
  }

  async adopt(): Promise<void> {
    throw new CoreError('fs.ability', { fileSystem: this.info.title, ability: 'take over files where they lie' });
  }

  async details(): Promise<EntryDetails> {
    return {};
  }

  shrink(size: number, tx: Transaction): Promise<void> {
    return shrinkFat(this.state, this.tree, size, tx);
  }

  grow(size: number, tx: Transaction): Promise<void> {
    return growFat(this.state, this.tree, size, tx);
  }

  relabel(label: string, tx: Transaction): Promise<void> {
    return relabelVolume(this.state, this.tree, label, tx);
  }

  retire(places: readonly ByteRange[], tx: Transaction): Promise<void> {
    return retireFat(this.state, this.tree, places, tx);
  }

  async settle(): Promise<void> {}

  identify(serial: number, tx: Transaction): Promise<void> {
    return identifyVolume(this.state, serial, tx);
  }

  rebase(startLba: number, tx: Transaction): Promise<void> {
    return writeBoot(this.state.geometry, this.state.boot, { hiddenSectors: startLba }, tx);
  }

  /** Clears the mark of a clean end; FAT12 has none. */
  async markForCheck(tx: Transaction): Promise<void> {
    const { table: before } = this.state;
    const table = before.resized(before.bytes.length);
    table.markUnclean();
    await writeTables(this.state.geometry, before.bytes, table, tx);
  }

  writer(tx: Transaction): Promise<VolumeWriter> {
    return openWriter(this.state, tx);
  }
}

function describe({ geometry: g, counts, bad: badRuns, boot }: FatState, tree: FatTree): VolumeInfo {
  const { free, used, bad } = counts;
  const extended = g.kind === 'fat32' ? EXTENDED_32.decode(boot) : EXTENDED_16.decode(boot);
  const stored = extended.bootSignature === 0x29 ? unpackLabel(boot.subarray(g.kind === 'fat32' ? 71 : 43)) : '';
  const hex = extended.serial.toString(16).toUpperCase().padStart(8, '0');
  return {
    kind: g.kind,
    title: FAT_KINDS.find((k) => k.kind === g.kind)!.title,
    label: tree.label?.text ?? (stored === 'NO NAME' ? '' : stored),
    serial: `${hex.slice(0, 4)}-${hex.slice(4)}`,
    clusterSize: g.clusterSize,
    size: g.totalSectors * g.sectorSize,
    used: (used + bad) * g.clusterSize + g.dataStart * g.sectorSize,
    free: free * g.clusterSize,
    hiddenSectors: g.hiddenSectors,
    clustersFrom: g.dataStart * g.sectorSize,
    ...outOfUse(badRuns.map((r) => ({ start: clusterOffset(g, r.start), length: r.length * g.clusterSize }))),
    ...(g.rootEntries > 0 ? { rootBytes: g.rootEntries * DIRECTORY_ENTRY_BYTES } : {}),
  };
}
