/** An open exFAT volume behind the port. */
import type { BlockDevice } from '@/core/device';
import { CoreError, markOverridable, type Finding } from '@/core/errors';
import { countSet, runsOf, setBits } from '../bitmap';
import { GatheredDevice } from '../gathered-device';
import { joinRanges } from '../ranges';
import { badRuns, clusterShift, takeOver } from './adopt';
import type { EntryDetails, FileEntry, FileTimes } from '../entry';
import type {
  Adoption,
  Beyond,
  ByteRange,
  ContentRun,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from '../port';
import { outOfUse } from '../retired';
import { clusterOffset, parseGeometry } from './boot-region';
import { changeBoot, markDirty, type ExfatState } from './boot-edits';
import { resizeExfat, retireExfat } from './resize';
import { checkExfat } from './check';
import { ATTRIBUTE } from './entries';
import { normaliseExfatLabel } from './kinds';
import { countTaken, exfatLimits } from './limits';
import { labelEntry } from './make';
import { type Owner } from './owner';
import { readTree } from './tree';
import { openExfatWriter } from './writer';

const MAX_BEYOND_ITEMS = 200;
/** Findings that an override lets pass: they do not make carrying data unsafe. */
const MAY_PASS = new Set(['exfat.dirty', 'exfat.boot', 'exfat.name', 'exfat.case-table']);
const WORDS: readonly (readonly [number, string])[] = [
  [ATTRIBUTE.readOnly, 'read-only'],
  [ATTRIBUTE.hidden, 'hidden'],
  [ATTRIBUTE.system, 'system'],
  [ATTRIBUTE.archive, 'archive'],
];

/** An entry of a walk. What few ask for is put into words when it is asked for. */
class ExfatEntry implements FileEntry {
  constructor(
    private readonly owner: Owner,
    readonly id: number,
  ) {}

  get path(): string {
    return this.owner.path;
  }

  get kind(): 'folder' | 'file' {
    return this.owner.kind === 'folder' ? 'folder' : 'file';
  }

  get size(): number {
    return this.kind === 'folder' ? 0 : this.owner.size;
  }

  get times(): FileTimes {
    return this.owner.times();
  }

  get attributes(): readonly string[] {
    return WORDS.filter(([bit]) => this.owner.attributes & bit).map(([, word]) => word);
  }
}

/** Opens the volume that begins at the device's start. @throws CoreError `fs.damaged` */
export async function openExfat(device: BlockDevice): Promise<Volume> {
  const geometry = parseGeometry(await device.bytes(0, 512), device.size);
  return new ExfatVolume({ device, geometry, tree: await readTree(device, geometry) });
}

class ExfatVolume implements Volume {
  readonly info: VolumeInfo;
  readonly #entries: readonly Owner[];
  #findings: Promise<readonly Finding[]> | undefined;

  constructor(private readonly state: ExfatState) {
    this.#entries = state.tree.owners.filter((o) => o.kind === 'file' || o.kind === 'folder');
    this.info = describe(state);
  }

  check(): Promise<readonly Finding[]> {
    return (this.#findings ??= checkExfat(this.state).then((found) =>
      markOverridable(found, (code) => MAY_PASS.has(code)),
    ));
  }

  async limits(): Promise<SizeLimits> {
    return exfatLimits(this.state.geometry, this.state.tree);
  }

  async allocation(): Promise<readonly ByteRange[]> {
    const { geometry: g, tree } = this.state;
    const ranges: ByteRange[] = [{ start: 0, end: g.heapSector * g.sectorSize }];
    for (const { start, length } of runsOf(tree.taken, 0, g.clusterCount, true))
      ranges.push({ start: clusterOffset(g, start + 2), end: clusterOffset(g, start + 2 + length) });
    return joinRanges(ranges);
  }

  async immovable(): Promise<readonly ByteRange[]> {
    const { heapSector, sectorSize } = this.state.geometry;
    return [{ start: 0, end: heapSector * sectorSize }];
  }

  async beyond(end: number): Promise<Beyond> {
    const { geometry: g, tree } = this.state;
    const heap = g.heapSector * g.sectorSize;
    const first = 2 + Math.max(0, Math.floor((end - heap) / g.clusterSize));
    const items = tree.owners.flatMap(({ path, runs }) => {
      const clusters = runs.reduce((sum, r) => sum + Math.max(0, r.start + r.length - Math.max(first, r.start)), 0);
      return clusters > 0 ? [{ path: path || '(root folder)', bytes: clusters * g.clusterSize }] : [];
    });
    const bytes = items.reduce((sum, i) => sum + i.bytes, 0);
    return { bytes, items: items.sort((a, b) => b.bytes - a.bytes).slice(0, MAX_BEYOND_ITEMS) };
  }

  async *walk(): AsyncGenerator<FileEntry> {
    for (const [id, owner] of this.#entries.entries()) yield new ExfatEntry(owner, id);
  }

  async *content(entry: FileEntry): AsyncGenerator<ContentRun> {
    const owner = this.#entries[entry.id];
    if (!owner) throw new CoreError('fs.not-found', { path: entry.path });
    const { geometry: g } = this.state;
    let at = 0;
    for (const run of owner.runs) {
      const end = Math.min(owner.size, at + run.length * g.clusterSize);
      // What lies behind the valid length reads as zeros, whatever the clusters hold.
      const stored = Math.max(at, Math.min(end, owner.validSize));
      if (stored > at) yield { kind: 'at', offset: clusterOffset(g, run.start), length: stored - at };
      if (end > stored) yield { kind: 'zeros', length: end - stored };
      at = end;
    }
    if (at < owner.size) {
      const reason = `${entry.path} ends ${owner.size - at} bytes before its size`;
      throw new CoreError('fs.damaged', { fileSystem: 'exFAT', reason, offset: 0 });
    }
  }

  async adopt(adoption: Adoption, tx: Transaction): Promise<void> {
    const { source, size, offset } = adoption;
    if (!(source instanceof ExfatVolume))
      throw new CoreError('fs.ability', { fileSystem: 'exFAT', ability: 'take over files of another kind of volume' });
    this.#assertOneTable();
    const { state } = source;
    const kept = await resizeExfat(this.state, size, tx, { start: offset, end: offset + state.device.size });
    const device = new GatheredDevice(tx, size, this.state.device.sectorSize);
    const geometry = parseGeometry(await device.bytes(0, 512), size);
    const shift = clusterShift(state.geometry, geometry, offset);
    const writer = await openExfatWriter({ device, geometry, tree: await readTree(device, geometry) }, tx);
    await takeOver(writer, state, source.#entries, adoption, shift);
    writer.release(kept, badRuns(state, shift));
    await writer.finish();
  }

  async details(): Promise<EntryDetails> {
    return {};
  }

  async shrink(size: number, tx: Transaction): Promise<void> {
    this.#assertOneTable();
    await resizeExfat(this.state, size, tx);
  }

  async grow(size: number, tx: Transaction): Promise<void> {
    this.#assertOneTable();
    await resizeExfat(this.state, size, tx);
  }

  async retire(places: readonly ByteRange[], tx: Transaction): Promise<void> {
    this.#assertOneTable();
    await retireExfat(this.state, places, tx);
  }

  #assertOneTable(): void {
    if (this.state.geometry.fatCount > 1)
      throw new CoreError('fs.ability', { fileSystem: 'exFAT (with two tables)', ability: 'change its size' });
  }

  async relabel(label: string, tx: Transaction): Promise<void> {
    const text = normaliseExfatLabel(label);
    const { geometry: g, tree } = this.state;
    const at = tree.labelAt ?? (await this.#placeForLabel());
    let start = 0;
    for (const run of tree.root.runs) {
      const end = start + run.length * g.clusterSize;
      if (at >= start && at < end) return tx.write(clusterOffset(g, run.start) + at - start, labelEntry(text));
      start = end;
    }
  }

  /** An entry of the root that is not in use. @throws CoreError `fs.full` */
  async #placeForLabel(): Promise<number> {
    const { device, geometry: g, tree } = this.state;
    let start = 0;
    for (const run of tree.root.runs) {
      const bytes = await device.bytes(clusterOffset(g, run.start), run.length * g.clusterSize);
      for (let at = 0; at < bytes.length; at += 32) {
        if (bytes[at]! >= 0x80) continue;
        // Taking the place of the end mark must not bring to light what lies behind it.
        const next = bytes[at + 32];
        if (bytes[at] === 0 && next !== undefined && next !== 0) break;
        return start + at;
      }
      start += bytes.length;
    }
    throw new CoreError('fs.full', { needed: 32, free: 0 });
  }

  async settle(): Promise<void> {}

  identify(serial: number, tx: Transaction): Promise<void> {
    return changeBoot(this.state, { serial }, tx);
  }

  rebase(startLba: number, tx: Transaction): Promise<void> {
    return changeBoot(this.state, { partitionOffset: BigInt(startLba) }, tx);
  }

  markForCheck(tx: Transaction): Promise<void> {
    return markDirty(this.state, tx);
  }

  writer(tx: Transaction): Promise<VolumeWriter> {
    return openExfatWriter(this.state, tx);
  }
}

/** Clusters that are bad and belong to nobody: the table says nothing of what lies in one piece. */
function nobodysBad({ geometry: g, tree }: ExfatState): Uint8Array {
  if (countSet(tree.bad, g.clusterCount) === 0) return tree.bad;
  const bad = tree.bad.slice();
  for (const { runs } of tree.owners) for (const r of runs) setBits(bad, r.start - 2, r.start - 2 + r.length, false);
  return bad;
}

function describe(state: ExfatState): VolumeInfo {
  const { geometry: g, tree } = state;
  const bad = runsOf(nobodysBad(state), 0, g.clusterCount, true);
  const taken = countTaken(tree, g);
  const hex = g.serial.toString(16).toUpperCase().padStart(8, '0');
  return {
    kind: 'exfat',
    title: 'exFAT',
    label: tree.label,
    serial: `${hex.slice(0, 4)}-${hex.slice(4)}`,
    clusterSize: g.clusterSize,
    size: g.volumeSectors * g.sectorSize,
    used: taken * g.clusterSize + g.heapSector * g.sectorSize,
    free: (g.clusterCount - taken) * g.clusterSize,
    hiddenSectors: g.partitionOffset,
    ...outOfUse([...bad].map((r) => ({ start: clusterOffset(g, r.start + 2), length: r.length * g.clusterSize }))),
    clustersFrom: g.heapSector * g.sectorSize,
  };
}
