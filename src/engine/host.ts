/** The engine itself: what the page asks is handed on to open disks, runs and exports, once it is sure who asks. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { Beyond, FileEntry, Volume } from '@/core/fs';
import { fileChunks, saveFolder } from '@/core/files';
import { gatherFacts, type FileFacts } from '@/core/goal';
import type { ImageFingerprint } from '@/core/image';
import type { ScanBatch, SpeedResult } from '@/core/health';
import type { Hit, Survey } from '@/core/inspect';
import { inRounds, lookAtTransfers, type OpenVolumeOf } from '@/core/job';
import type { Layout } from '@/core/layout';
import { isHere } from '@/core/place';
import type { Plan, PlannedTransfer, Scratch } from '@/core/plan';
import type { Recipe } from '@/core/practice';
import type { Certificate } from '@/core/proof';
import { pdfOf, type Paper, type PaperFonts } from '@/core/report';
import type { LogLine } from '@/core/run';
import { BenchLock } from './bench-lock';
import { Database } from './database';
import { EXPORTS, exportTo } from './exports';
import { Health } from './health';
import type { WayBack } from './layers';
import { OpenDisks } from './open-disks';
import type {
  BuildWhen,
  EngineApi,
  ExportListener,
  FolderItem,
  Found,
  ImageFormat,
  Notable,
  OpenedImage,
  OpenHow,
  OpenListener,
  ProgressListener,
  RoomItem,
  RunHow,
  RunStatus,
  StorageUse,
  Stretch,
} from './protocol';
import { Runs } from './runs';
import { storageUse } from './storage-use';
import { clearStored } from './stores';
import { serveChunks } from './streams';

export class EngineHost implements EngineApi {
  readonly #disks: OpenDisks;
  readonly #runs: Runs;
  readonly #health: Health;

  constructor(
    private readonly db = new Database(),
    private readonly lock = new BenchLock(globalThis.navigator?.locks),
  ) {
    this.#disks = new OpenDisks(db);
    this.#runs = new Runs(db, this.#disks);
    this.#health = new Health(this.#disks);
  }

  hold(patiently = false): Promise<boolean> {
    return this.lock.hold(patiently);
  }

  whenFree(): Promise<void> {
    return this.lock.whenFree();
  }

  openPractice(id: string, recipe: Recipe, when: BuildWhen = 'now'): Promise<Survey> {
    return this.#disks.openPractice(id, recipe, when);
  }

  fingerprint(file: File): Promise<ImageFingerprint> {
    return this.#disks.fingerprint(file);
  }

  async openImage(id: string, file: File, how: OpenHow = {}, progress?: OpenListener): Promise<OpenedImage> {
    this.#runs.assertNone(id);
    return this.#disks.openImage(id, file, how, progress);
  }

  async rename(id: string, name: string): Promise<void> {
    this.#disks.rename(id, name);
  }

  async cancelOpening(id: string): Promise<void> {
    this.#disks.cancel(id);
  }

  async forget(id: string): Promise<void> {
    this.lock.assertHeld();
    this.#runs.assertNone(id);
    await this.#runs.assertHoldsNothing(id);
    await this.#runs.ways.assertTookNothing(id);
    this.#health.stop(id);
    await clearStored(this.db, id);
    await this.#runs.logs.forget(id);
    this.#disks.close(id);
  }

  async survey(id: string): Promise<Survey> {
    return (await this.#disks.disk(id)).session.survey;
  }

  async folder(id: string, number: number, path: string): Promise<FolderItem[]> {
    this.#runs.assertNone(id);
    return (await this.#disks.index(id, number)).list(path);
  }

  async findFiles(id: string, number: number, path: string, text: string): Promise<Found> {
    this.#runs.assertNone(id);
    return (await this.#disks.index(id, number)).find(path, text);
  }

  async notable(id: string, number: number, path: string): Promise<Notable> {
    this.#runs.assertNone(id);
    return (await this.#disks.index(id, number)).notable(path);
  }

  async room(id: string, number: number, path: string): Promise<RoomItem[]> {
    this.#runs.assertNone(id);
    return (await this.#disks.index(id, number)).room(path);
  }

  async beyond(id: string, number: number, end: number): Promise<Beyond> {
    this.#runs.assertNone(id);
    return (await this.#disks.volume(id, number)).volume.beyond(end);
  }

  async facts(id: string, number: number, folder = ''): Promise<FileFacts> {
    this.#runs.assertNone(id);
    const { volume } = await this.#disks.volume(id, number);
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

  async serveFolder(id: string, number: number, path: string, port: MessagePort): Promise<void> {
    serveChunks(await this.#unchanged(id, number, (volume, window) => saveFolder(volume, window, path)), port);
  }

  #fileChunks(id: string, number: number, entry: FileEntry): Promise<AsyncGenerator<Uint8Array>> {
    return this.#unchanged(id, number, (volume, window) => fileChunks(volume, window, entry));
  }

  /** What is read of a volume, for as long as it is what it was: nothing is handed on that a run changed meanwhile. */
  async #unchanged(
    id: string,
    number: number,
    read: (...open: [Volume, BlockDevice]) => AsyncGenerator<Uint8Array>,
  ): Promise<AsyncGenerator<Uint8Array>> {
    this.#runs.assertNone(id);
    const { volume, window } = await this.#disks.volume(id, number);
    const [runs, disks] = [this.#runs, this.#disks];
    return (async function* () {
      for await (const chunk of read(volume, window)) {
        runs.assertNone(id);
        const now = await disks.volume(id, number);
        if (now.volume !== volume) throw new CoreError('run.meanwhile', { name: disks.known(id)?.name ?? 'the disk' });
        yield chunk;
      }
    })();
  }

  async transfers(id: string, planned: Layout, lent: readonly Scratch[] = []): Promise<PlannedTransfer[]> {
    const open: OpenVolumeOf = async ({ disk, number }) => {
      const from = isHere({ disk }) ? id : disk;
      this.#runs.assertNone(from);
      return (await this.#disks.volume(from, number)).volume;
    };
    const looked = await lookAtTransfers(planned.transfers ?? [], planned, open);
    const { survey } = (await this.#disks.disk(id)).session;
    const windowOf = async (number: number) => (await this.#disks.volume(id, number)).window;
    return inRounds(looked, planned, survey, windowOf, lent);
  }

  runStatus(id: string): Promise<RunStatus | undefined> {
    return this.#runs.status(id);
  }

  async run(id: string, plan: Plan, how: RunHow, progress: ProgressListener): Promise<Certificate> {
    this.lock.assertHeld();
    // What reads all of the disk would count into what the run takes.
    this.#health.stop(id);
    return this.#runs.start(id, plan, how, progress);
  }

  async resume(id: string, progress: ProgressListener): Promise<Certificate> {
    this.lock.assertHeld();
    return this.#runs.resume(id, progress);
  }

  async stop(id: string): Promise<void> {
    this.#runs.stop(id);
  }

  async rewind(id: string): Promise<Survey> {
    this.lock.assertHeld();
    return this.#runs.rewind(id);
  }

  waysBack(id: string): Promise<WayBack[]> {
    return this.#runs.ways.of(id);
  }

  async dropWaysBack(id: string, run: string): Promise<void> {
    this.lock.assertHeld();
    await this.#runs.ways.drop(id, run);
  }

  async serveImage(id: string, format: ImageFormat, port: MessagePort, part?: Stretch): Promise<void> {
    serveChunks(EXPORTS[format](await this.#toExport(id, part)), port);
  }

  async exportTo(id: string, handle: FileSystemFileHandle, progress: ExportListener, part?: Stretch): Promise<void> {
    const device = await this.#toExport(id, part);
    await this.#disks.undisturbed(() => exportTo(this.#disks, device, handle, progress));
  }

  async #toExport(id: string, part?: Stretch): Promise<BlockDevice> {
    this.#runs.assertNone(id);
    const { device } = (await this.#disks.disk(id)).layers;
    return part ? new WindowDevice(device, part.start, part.end - part.start) : device;
  }

  log(id: string): Promise<LogLine[]> {
    return this.#runs.logs.of(id);
  }

  async serveManifest(id: string, number: number, port: MessagePort): Promise<void> {
    serveChunks(this.#runs.manifest(id, number), port);
  }

  setAsPdf(paper: Paper, fonts: PaperFonts): Promise<Uint8Array> {
    return pdfOf(paper, fonts);
  }

  storage(): Promise<StorageUse> {
    return storageUse(this.db);
  }

  async scan(id: string, stretch: { start: number; end: number }, told: (batch: ScanBatch) => void): Promise<boolean> {
    this.#runs.assertNone(id);
    return this.#health.scan(id, stretch, told);
  }

  async speed(id: string, taken: string, told: (share: number) => void): Promise<SpeedResult | undefined> {
    this.#runs.assertNone(id);
    return this.#health.speed(id, taken, told);
  }

  async hits(id: string, places: readonly { start: number; end: number }[]): Promise<Hit[]> {
    this.#runs.assertNone(id);
    return this.#health.hits(id, places);
  }

  async stopTask(id: string): Promise<void> {
    this.#health.stop(id);
  }

  async look(id: string): Promise<Survey> {
    this.#runs.assertNone(id);
    return this.#disks.look(id);
  }

  async find(id: string, told: OpenListener): Promise<Survey> {
    this.#runs.assertNone(id);
    const { session } = await this.#disks.disk(id);
    return this.#health.find(id, session, told);
  }

  async lookForMends(id: string): Promise<Survey> {
    this.#runs.assertNone(id);
    return (await this.#disks.disk(id)).session.lookForMends();
  }
}

/** The entries below a folder, with paths from it. */
async function* below(volume: Volume, folder: string): AsyncGenerator<FileEntry> {
  const start = `${folder}/`;
  for await (const { path, kind, size, times, attributes, id } of volume.walk())
    if (path.startsWith(start)) yield { path: path.slice(start.length), kind, size, times, attributes, id };
}
