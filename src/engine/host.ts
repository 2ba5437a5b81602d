/** The engine itself: open disks, each an overlay over what is never written, and the runs on them. */
import { MediumDevice, OverlayDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { probeFileSystem, type Beyond, type FileEntry, type Volume } from '@/core/fs';
import {
  exportGzip,
  exportOccupied,
  exportQcow2,
  exportRaw,
  fingerprintImage,
  ImageDevice,
  openContainer,
  sameImage,
  type ImageFingerprint,
} from '@/core/image';
import { detectSectorSize, surveyDisk, type Survey } from '@/core/inspect';
import { placesElsewhere, type Plan } from '@/core/plan';
import { gatherFacts, type FileFacts } from '@/core/goal';
import { buildPracticeDisk, mediumOf, type Recipe } from '@/core/practice';
import type { Certificate } from '@/core/proof';
import { readRunState, resumeRun, startRun, type RunPorts } from '@/core/run';
import { BlobSource } from './blob-source';
import { Database } from './database';
import { FolderIndex } from './folder-index';
import type {
  EngineApi,
  ExportListener,
  FolderItem,
  ImageFormat,
  ProgressListener,
  RunHow,
  RunStatus,
} from './protocol';
import { DexieJournal, DexieOverlayStore } from './stores';
import { webHasher } from './web-hasher';
import { serveChunks } from './streams';

interface OpenVolume {
  readonly volume: Volume;
  readonly window: BlockDevice;
  index?: Promise<FolderIndex>;
}

interface OpenDisk {
  readonly name: string;
  readonly overlay: OverlayDevice;
  /** A practice disk's medium, which counts what a real one would take. */
  readonly medium: MediumDevice | undefined;
  survey: Survey;
  readonly volumes: Map<number, Promise<OpenVolume>>;
}

const PROGRESS_EVERY_MS = 80;
const EXPORTS: Readonly<Record<ImageFormat, (device: BlockDevice) => AsyncGenerator<Uint8Array>>> = {
  raw: exportRaw,
  gz: exportGzip,
  qcow2: exportQcow2,
};

export class EngineHost implements EngineApi {
  readonly #db = new Database();
  readonly #disks = new Map<string, OpenDisk>();
  readonly #running = new Map<string, AbortController>();
  /** Practice disks that are being built, each with when it is there. */
  readonly #opening = new Map<string, Promise<void>>();
  #building: Promise<void> = Promise.resolve();

  async openPractice(id: string, recipe: Recipe): Promise<Survey> {
    // One disk is built after the other; whoever asks for one before its turn waits for it.
    const opening = this.#building.then(async () => {
      // Between two disks whatever else was asked has its turn.
      await new Promise((resolve) => setTimeout(resolve));
      return this.#open(id, recipe.name, await buildPracticeDisk(recipe), recipe);
    });
    this.#building = opening.then(
      () => undefined,
      () => undefined,
    );
    this.#opening.set(id, this.#building);
    return opening;
  }

  async openImage(
    id: string,
    file: File,
    expected?: ImageFingerprint,
  ): Promise<{ survey: Survey; fingerprint: ImageFingerprint }> {
    const source = new BlobSource(file);
    if (source.size === 0) throw new CoreError('image.empty', { name: file.name });
    const fingerprint = await fingerprintImage(source, file.lastModified);
    if (expected && !sameImage(expected, fingerprint)) throw new CoreError('image.changed', { name: file.name });
    const bytes = await openContainer(source);
    const sectorSize = await detectSectorSize(new ImageDevice(bytes, 512));
    const survey = await this.#open(id, file.name, new ImageDevice(bytes, sectorSize));
    return { survey, fingerprint };
  }

  async #open(id: string, name: string, base: BlockDevice, recipe?: Recipe): Promise<Survey> {
    const overlay = await OverlayDevice.open(base, new DexieOverlayStore(this.#db, id));
    const survey = await surveyDisk(overlay, name);
    const medium = recipe && new MediumDevice(overlay, mediumOf(recipe));
    this.#disks.set(id, { name, overlay, medium, survey, volumes: new Map() });
    return survey;
  }

  async forget(id: string): Promise<void> {
    await this.#assertHoldsNothing(id);
    this.#disks.delete(id);
    await new DexieOverlayStore(this.#db, id).clear();
    await new DexieJournal(this.#db, id).clear();
  }

  async #disk(id: string): Promise<OpenDisk> {
    await this.#opening.get(id);
    const disk = this.#disks.get(id);
    if (!disk) throw new CoreError('storage.lost', { what: 'The disk' });
    return disk;
  }

  async survey(id: string): Promise<Survey> {
    return (await this.#disk(id)).survey;
  }

  async #volume(id: string, number: number): Promise<OpenVolume> {
    const disk = await this.#disk(id);
    const known = disk.volumes.get(number);
    if (known) return known;
    const opening = openVolume(disk, number);
    disk.volumes.set(number, opening);
    return opening;
  }

  async folder(id: string, number: number, path: string): Promise<FolderItem[]> {
    const open = await this.#volume(id, number);
    open.index ??= FolderIndex.of(open.volume);
    return (await open.index).list(path);
  }

  async beyond(id: string, number: number, end: number): Promise<Beyond> {
    return (await this.#volume(id, number)).volume.beyond(end);
  }

  async facts(id: string, number: number, folder = ''): Promise<FileFacts> {
    const { volume } = await this.#volume(id, number);
    return gatherFacts(folder === '' ? volume.walk() : below(volume, folder));
  }

  async preview(id: string, number: number, entry: FileEntry, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(Math.min(length, entry.size));
    let at = 0;
    for await (const chunk of await this.#fileChunks(id, number, entry)) {
      const part = chunk.subarray(0, out.length - at);
      out.set(part, at);
      at += part.length;
      if (at === out.length) break;
    }
    return out;
  }

  async serveFile(id: string, number: number, entry: FileEntry, port: MessagePort): Promise<void> {
    serveChunks(await this.#fileChunks(id, number, entry), port);
  }

  async #fileChunks(id: string, number: number, entry: FileEntry): Promise<AsyncGenerator<Uint8Array>> {
    const { volume, window } = await this.#volume(id, number);
    return readFile(volume, window, entry);
  }

  async runStatus(id: string): Promise<RunStatus | undefined> {
    const state = await readRunState(new DexieJournal(this.#db, id));
    return state && { plan: state.plan, next: state.next, started: state.started, certificate: state.certificate };
  }

  async run(id: string, plan: Plan, how: RunHow, progress: ProgressListener): Promise<Certificate> {
    await this.#assertHoldsNothing(id);
    const { medium } = await this.#disk(id);
    if (medium) medium.pace = how.paced ? 1 : 0;
    return this.#execute(id, plan, progress, (ports) => startRun(plan, ports, how.override ?? false));
  }

  async resume(id: string, progress: ProgressListener): Promise<Certificate> {
    const status = await this.runStatus(id);
    return this.#execute(id, status?.plan, progress, resumeRun);
  }

  /** @throws CoreError `run.holds` while an unfinished run on another disk has something set aside on this one */
  async #assertHoldsNothing(id: string): Promise<void> {
    for (const other of await this.#db.journal.orderBy('diskId').uniqueKeys()) {
      if (other === id || typeof other !== 'string') continue;
      const status = await this.runStatus(other);
      if (!status || status.certificate || !placesElsewhere(status.plan).has(id)) continue;
      const run = this.#disks.get(other)?.name ?? 'another disk';
      const { name } = await this.#disk(id);
      throw new CoreError('run.holds', { name, reason: `the unfinished run on ${run} has something set aside on it` });
    }
  }

  /** The disks that a plan sets volumes aside on. @throws CoreError `run.holds` where a run on one is unfinished */
  async #others(plan: Plan | undefined): Promise<Map<string, BlockDevice>> {
    const out = new Map<string, BlockDevice>();
    for (const id of plan ? placesElsewhere(plan).keys() : []) {
      // One that is not on the bench shows as such where it is needed.
      const disk = await this.#disk(id).catch(() => undefined);
      if (!disk) continue;
      const status = await this.runStatus(id);
      if (status && !status.certificate)
        throw new CoreError('run.holds', { name: disk.name, reason: 'a run on it is unfinished' });
      out.set(id, disk.medium ?? disk.overlay);
    }
    return out;
  }

  async #execute(
    id: string,
    plan: Plan | undefined,
    progress: ProgressListener,
    act: (ports: RunPorts) => Promise<Certificate>,
  ): Promise<Certificate> {
    if (this.#running.has(id)) throw new CoreError('run.unfinished', { reason: 'it is going on' });
    const abort = new AbortController();
    this.#running.set(id, abort);
    const [disk, others] = await Promise.all([this.#disk(id), this.#others(plan)]).catch((error: unknown) => {
      this.#running.delete(id);
      throw error;
    });
    const { medium } = disk;
    const before = medium?.seconds ?? 0;
    const ports: RunPorts = {
      disk: medium ?? disk.overlay,
      others,
      journal: new DexieJournal(this.#db, id),
      hasher: webHasher,
      now: () => new Date().toISOString(),
      signal: abort.signal,
      progress: paced((report) => progress(medium ? { ...report, simulated: medium.seconds - before } : report)),
    };
    try {
      return await act(ports);
    } finally {
      this.#running.delete(id);
      disk.volumes.clear();
      disk.survey = await surveyDisk(disk.overlay, disk.name).catch(() => disk.survey);
    }
  }

  async stop(id: string): Promise<void> {
    this.#running.get(id)?.abort();
  }

  async rewind(id: string): Promise<Survey> {
    if (this.#running.has(id)) throw new CoreError('run.unfinished', { reason: 'it is going on' });
    await this.#assertHoldsNothing(id);
    const disk = await this.#disk(id);
    await disk.overlay.rewind();
    await this.#emptyPlaces(id);
    await new DexieJournal(this.#db, id).clear();
    disk.volumes.clear();
    disk.survey = await surveyDisk(disk.overlay, disk.name);
    return disk.survey;
  }

  /** What an unfinished run set aside on other disks is not wanted once all is put back. */
  async #emptyPlaces(id: string): Promise<void> {
    const status = await this.runStatus(id);
    if (!status || status.certificate) return;
    for (const step of status.plan.steps.slice(0, status.next + 1)) {
      const overlay = step.kind === 'park' ? this.#disks.get(step.on.disk)?.overlay : undefined;
      if (step.kind !== 'park' || !overlay) continue;
      await overlay.discard(step.on.start, step.at.length);
      await overlay.flush();
    }
  }

  async serveImage(id: string, format: ImageFormat, port: MessagePort): Promise<void> {
    serveChunks(EXPORTS[format]((await this.#disk(id)).overlay), port);
  }

  async exportTo(id: string, handle: FileSystemFileHandle, progress: ExportListener): Promise<void> {
    const { overlay } = await this.#disk(id);
    const ranges = [...overlay.occupied()];
    const total = ranges.reduce((sum, r) => sum + (r.end - r.start), 0);
    const writable = await handle.createWritable();
    try {
      await writable.truncate(overlay.size);
      let done = 0;
      for await (const { offset, bytes } of exportOccupied(overlay)) {
        await writable.write({ type: 'write', position: offset, data: bytes as Uint8Array<ArrayBuffer> });
        done += bytes.length;
        progress(done, total);
      }
      await writable.close();
    } catch (error) {
      await writable.abort().catch(() => undefined);
      if (error instanceof Error && error.name === 'QuotaExceededError')
        throw new CoreError('storage.full', { wanted: total }, error);
      throw error;
    }
  }
}

/** The entries below a folder, with paths from it. */
async function* below(volume: Volume, folder: string): AsyncGenerator<FileEntry> {
  const start = `${folder}/`;
  for await (const { path, kind, size, times, attributes, id } of volume.walk())
    if (path.startsWith(start)) yield { path: path.slice(start.length), kind, size, times, attributes, id };
}

async function openVolume(disk: OpenDisk, number: number): Promise<OpenVolume> {
  const found = disk.survey.volumes.find((v) => v.number === number);
  const probed = found && (await probeFileSystem(new WindowDevice(disk.overlay, found.start, found.length)));
  if (!probed) throw new CoreError('fs.unknown', { offset: found?.start ?? 0 });
  const window = new WindowDevice(disk.overlay, found.start, found.length);
  return { volume: await probed.driver.open(window), window };
}

const READ_CHUNK = 4 * 1024 * 1024;

async function* readFile(volume: Volume, window: BlockDevice, entry: FileEntry): AsyncGenerator<Uint8Array> {
  for await (const run of volume.content(entry)) {
    if (run.kind === 'bytes') {
      yield run.bytes;
      continue;
    }
    for (let done = 0; done < run.length; done += READ_CHUNK) {
      const length = Math.min(READ_CHUNK, run.length - done);
      yield run.kind === 'at' ? await window.bytes(run.offset + done, length) : new Uint8Array(length);
    }
  }
}

/** Passes on what a person can see: the beginning and the end of each step, and what lies between at a pace. */
function paced(progress: ProgressListener): ProgressListener {
  let last = 0;
  let step = -1;
  return (report) => {
    const now = performance.now();
    if (report.state !== 'done' && report.step === step && now - last < PROGRESS_EVERY_MS) return;
    last = now;
    step = report.step;
    progress(report);
  };
}
