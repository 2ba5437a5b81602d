/** An open NTFS volume behind the port. */
import { utf16 } from '@/core/bytes';
import { badClusters } from './bad-clusters';
import { damaged } from './damaged';
import type { BlockDevice } from '@/core/device';
import { CoreError, markOverridable, type Finding } from '@/core/errors';
import type { EntryDetails, FileEntry } from '../entry';
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
import { joinRanges } from '../ranges';
import { outOfUse } from '../retired';
import { bitmapBytes, countSet, runsOf } from '../bitmap';
import { GatheredDevice } from '../gathered-device';
import { BOOT, parseGeometry, serialFrom, type NtfsGeometry } from './boot-sector';
import { checkNtfs } from './check';
import { readDetails } from './details';
import { ntfsLimits } from './limits';
import { markNtfs, relabelNtfs } from './relabel';
import type { ChangeInput } from './change';
import { resizeNtfs, retireNtfs, startRuns } from './resize';
import { SecurityDescriptors } from './secure';
import { reservedFor, takeOver, type Reserved } from './adopt';
import { openNtfsWriter, type NtfsWriter } from './writer';
import { scanMft, type Mft } from './mft';
import { TYPE } from './record';
import { contentOf, readInto } from './stream-content';
import { behindEntry, entriesOf, linkOf, storedFrom } from './tree';

const BITMAP = 6;
const VOLUME = 3;
const UPCASE = 10;
const MAX_BEYOND_ITEMS = 200;
/** Findings that make carrying data unsafe whatever anyone says. */
const NEVER_OVERRIDDEN = new Set([
  'ntfs.bad-record',
  'ntfs.torn-record',
  'ntfs.bad-runs',
  'ntfs.gap',
  'ntfs.short',
  'ntfs.cross-link',
  'ntfs.unmarked',
]);

/** Marks those that are none of these. */
const overridable = (findings: readonly Finding[]): readonly Finding[] =>
  markOverridable(findings, (code) => !NEVER_OVERRIDDEN.has(code));

/** Opens the volume that begins at the device's start. @throws CoreError `fs.damaged` */
export const openNtfs = (device: BlockDevice): Promise<Volume> => openWhole(device);

export async function openWhole(device: BlockDevice): Promise<NtfsVolume> {
  const head = await device.bytes(0, Math.min(4096, device.size));
  const geometry = parseGeometry(head, device.size);
  const mft = await scanMft(device, geometry);
  const bitmap = await readBitmap(device, geometry, mft);
  return new NtfsVolume(device, geometry, head.slice(0, geometry.sectorSize), mft, bitmap);
}

async function readBitmap(device: BlockDevice, g: NtfsGeometry, mft: Mft): Promise<Uint8Array> {
  const stream = mft.files.get(BITMAP)?.streams.find((s) => s.type === TYPE.data && s.name === '');
  const needed = Math.ceil(g.clusterCount / 8);
  if (!stream || stream.size < needed) {
    throw damaged('its cluster bitmap is missing or too short');
  }
  const bitmap = new Uint8Array(bitmapBytes(g.clusterCount));
  await readInto(device, g, stream, bitmap, needed);
  return bitmap;
}

class NtfsVolume implements Volume {
  readonly info: VolumeInfo;
  #findings: Promise<readonly Finding[]> | undefined;
  #descriptors: Promise<SecurityDescriptors> | undefined;

  constructor(
    private readonly device: BlockDevice,
    readonly geometry: NtfsGeometry,
    private readonly boot: Uint8Array,
    readonly mft: Mft,
    private readonly bitmap: Uint8Array,
  ) {
    this.info = describe(geometry, mft, bitmap);
  }

  check(): Promise<readonly Finding[]> {
    const { device, geometry, boot, mft, bitmap } = this;
    return (this.#findings ??= readUpcase(device, geometry, mft).then((upcase) =>
      checkNtfs({ device, geometry, boot, mft, bitmap, upcase }).then(overridable),
    ));
  }

  async limits(): Promise<SizeLimits> {
    return ntfsLimits(this.geometry, this.mft, this.bitmap);
  }

  async allocation(): Promise<readonly ByteRange[]> {
    const { clusterCount, clusterSize, totalSectors, sectorSize } = this.geometry;
    const ranges: { start: number; end: number }[] = [];
    const add = (start: number, end: number): void => {
      const last = ranges.at(-1);
      if (last && last.end === start) last.end = end;
      else ranges.push({ start, end });
    };
    for (const run of runsOf(this.bitmap, 0, clusterCount, true))
      add(run.start * clusterSize, (run.start + run.length) * clusterSize);
    const backup = totalSectors * sectorSize;
    if (backup + sectorSize <= this.device.size) add(backup, backup + sectorSize);
    return ranges;
  }

  async immovable(): Promise<readonly ByteRange[]> {
    const { clusterSize, totalSectors, sectorSize } = this.geometry;
    const start = startRuns(this.mft).map(({ lcn, length }) => ({
      start: lcn * clusterSize,
      end: (lcn + length) * clusterSize,
    }));
    const backup = totalSectors * sectorSize;
    return joinRanges([...start, { start: backup, end: backup + sectorSize }]);
  }

  async beyond(end: number): Promise<Beyond> {
    const first = Math.floor(end / this.geometry.clusterSize);
    const items: { path: string; bytes: number }[] = [];
    let total = 0;
    for (const { path, clusters } of storedFrom(this.mft, first)) {
      const bytes = clusters * this.geometry.clusterSize;
      items.push({ path, bytes });
      total += bytes;
    }
    return { bytes: total, items: items.sort((a, b) => b.bytes - a.bytes).slice(0, MAX_BEYOND_ITEMS) };
  }

  walk(): AsyncIterable<FileEntry> {
    // By hand: a generator takes several turns of the event loop for each of what may be a million entries.
    const iterate = (): AsyncIterator<FileEntry> => {
      const batches = entriesOf(this.mft);
      let entries: FileEntry[] = [];
      let at = 0;
      const next = (): IteratorResult<FileEntry> => {
        while (at === entries.length) {
          const batch = batches.next();
          if (batch.done) return { done: true, value: undefined };
          [entries, at] = [batch.value, 0];
        }
        return { done: false, value: entries[at++]! };
      };
      return { next: async () => next() };
    };
    return { [Symbol.asyncIterator]: iterate };
  }

  async *content(entry: FileEntry): AsyncGenerator<ContentRun> {
    const found = behindEntry(this.mft, entry.id);
    if (!found) throw new CoreError('fs.not-found', { path: entry.path });
    const link = entry.kind === 'link' ? linkOf(found.file) : undefined;
    if (link) yield { kind: 'bytes', bytes: link };
    else if (found.stream) yield* contentOf(this.device, this.geometry, found.stream);
  }

  async details(entry: FileEntry): Promise<EntryDetails> {
    const { device, geometry, mft } = this;
    const found = behindEntry(mft, entry.id);
    if (!found) throw new CoreError('fs.not-found', { path: entry.path });
    const descriptors = await (this.#descriptors ??= SecurityDescriptors.read(device, geometry, mft));
    return readDetails(device, geometry, mft, found.file, descriptors);
  }

  shrink(size: number, tx: Transaction): Promise<void> {
    return resizeNtfs(this.#input, size, tx);
  }

  grow(size: number, tx: Transaction): Promise<void> {
    return resizeNtfs(this.#input, size, tx);
  }

  retire(places: readonly ByteRange[], tx: Transaction): Promise<void> {
    return retireNtfs(this.#input, this.info.size, places, tx);
  }

  relabel(label: string, tx: Transaction): Promise<void> {
    return relabelNtfs(this.#input, label, tx);
  }

  async adopt(adoption: Adoption, tx: Transaction): Promise<void> {
    const { source, size, offset } = adoption;
    if (!(source instanceof NtfsVolume))
      throw new CoreError('fs.ability', { fileSystem: 'NTFS', ability: 'take over files of another kind of volume' });
    const reserved = reservedFor(this.#input, source.#input, adoption);
    await resizeNtfs(this.#input, size, tx, reserved);
    const grown = await openWhole(new GatheredDevice(tx, size, this.device.sectorSize));
    const writer = await grown.#writer(tx, reserved);
    const { device, geometry, mft } = source;
    const descriptors = await SecurityDescriptors.read(device, geometry, mft);
    await takeOver(writer, source.#input, descriptors, adoption, offset / geometry.clusterSize);
    await writer.finish();
  }

  async settle(): Promise<void> {}

  identify(serial: number, tx: Transaction): Promise<void> {
    return this.#changeBoot({ serial: serialFrom(serial) }, tx);
  }

  rebase(startLba: number, tx: Transaction): Promise<void> {
    return this.#changeBoot({ hiddenSectors: startLba }, tx);
  }

  /** In the boot sector, and in its copy behind the volume's last sector. */
  async #changeBoot(fields: Parameters<typeof BOOT.encode>[0], tx: Transaction): Promise<void> {
    const { totalSectors, sectorSize } = this.geometry;
    const sector = this.boot.slice();
    BOOT.encode(fields, sector);
    await tx.write(0, sector);
    await tx.write(totalSectors * sectorSize, sector);
  }

  markForCheck(tx: Transaction): Promise<void> {
    return markNtfs(this.#input, tx);
  }

  writer(tx: Transaction): Promise<VolumeWriter> {
    return this.#writer(tx);
  }

  async #writer(tx: Transaction, reserved?: Reserved): Promise<NtfsWriter> {
    return openNtfsWriter(this.#input, await readUpcase(this.device, this.geometry, this.mft), tx, reserved);
  }

  get #input(): ChangeInput {
    const { device, geometry, boot, mft, bitmap } = this;
    return { device, geometry, boot, mft, bitmap };
  }
}

async function readUpcase(device: BlockDevice, g: NtfsGeometry, mft: Mft): Promise<Uint16Array> {
  const stream = mft.files.get(UPCASE)?.streams.find((s) => s.type === TYPE.data && s.name === '');
  const bytes = new Uint8Array(2 * 65_536);
  if (stream?.size !== bytes.length) throw damaged('its case table is missing');
  await readInto(device, g, stream, bytes);
  return new Uint16Array(bytes.buffer);
}

function describe(g: NtfsGeometry, mft: Mft, bitmap: Uint8Array): VolumeInfo {
  const used = countSet(bitmap, g.clusterCount);
  const label = mft.files.get(VOLUME)?.streams.find((s) => s.type === TYPE.volumeName)?.value;
  return {
    kind: 'ntfs',
    title: 'NTFS',
    label: label ? utf16(label) : '',
    serial: g.serial.toString(16).toUpperCase().padStart(16, '0'),
    clusterSize: g.clusterSize,
    // The backup boot sector belongs to the volume though the volume does not count it.
    size: (g.totalSectors + 1) * g.sectorSize,
    used: used * g.clusterSize + g.sectorSize,
    free: (g.clusterCount - used) * g.clusterSize,
    hiddenSectors: g.hiddenSectors,
    ...outOfUse(
      badClusters(mft).runs.map((r) => ({ start: r.start * g.clusterSize, length: r.length * g.clusterSize })),
    ),
  };
}
