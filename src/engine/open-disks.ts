/** The disks that are open, each in layers over what is never written, and the volumes on them. */
import { MediumDevice, type BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import type { Volume } from '@/core/fs';
import { fingerprintImage, isFirstPart, sameContent, sameImage, type ImageFingerprint } from '@/core/image';
import type { OpenVolume, Survey } from '@/core/inspect';
import { buildPracticeDisk, mediumOf, recipeSize, type Recipe } from '@/core/practice';
import { openImageDevice, Session } from '@/core/session';
import { BlobSource } from './blob-source';
import { BuildQueue } from './build-queue';
import type { Database } from './database';
import { FolderIndex } from './folder-index';
import { DiskLayers } from './layers';
import { PatientDevice } from './patient-device';
import type { BuildWhen, OpenedImage, OpenHow, OpenListener } from './protocol';
import { makeSpillFile, type SpillFile } from './spill-files';

export interface OpenDisk {
  readonly name: string;
  readonly layers: DiskLayers;
  /** A practice disk's medium, which counts what a real one would take. */
  readonly medium: MediumDevice | undefined;
  /** What an image is read from, and the parts of that, none of which may be written over. */
  readonly image:
    | {
        readonly file: File;
        readonly fingerprint: ImageFingerprint;
        readonly parts: readonly File[];
      }
    | undefined;
  readonly session: Session;
  /** Of volumes that were looked into, as long as those are open. */
  readonly indexes: WeakMap<Volume, Promise<FolderIndex>>;
}

/** What is known of a disk beside its bytes. */
const FIRST_PART: Finding = {
  severity: 'warning',
  code: 'image.first-part',
  message: 'By its name this is the first part of an image. All parts that are picked together open as one disk.',
};

interface OpenedHow {
  readonly medium?: (disk: BlockDevice) => MediumDevice;
  readonly image?: OpenDisk['image'];
  /** What was on the bench before may begin like nothing that is known, by what was done to it there. */
  readonly tableless?: boolean;
  /** What is to be said of the file it is in. */
  readonly remarks?: readonly Finding[];
}

export class OpenDisks {
  readonly #disks = new Map<string, OpenDisk>();
  readonly #builds = new BuildQueue();
  /** Images that are being opened, each with how to call that off. */
  readonly #cancels = new Map<string, AbortController>();
  /** Where what packed images unpack to is, beyond what memory has of it. */
  readonly #spilled = new Map<string, readonly SpillFile[]>();

  constructor(private readonly db: Database) {}

  openPractice(id: string, recipe: Recipe, when: BuildWhen): Promise<Survey> {
    const build = async (between: () => Promise<void>): Promise<Survey> => {
      const base = new PatientDevice(recipeSize(recipe), recipe.sectorSize, between);
      await buildPracticeDisk(recipe, base);
      const medium = (disk: BlockDevice): MediumDevice => new MediumDevice(disk, mediumOf(recipe));
      const survey = await this.#open(id, recipe.name, base, { medium });
      base.ready();
      return survey;
    };
    return this.#builds.add(id, build, when);
  }

  /** Does what takes a while, with nothing made ready behind it meanwhile. */
  async undisturbed<T>(act: () => Promise<T>): Promise<T> {
    const release = this.#builds.hold();
    try {
      return await act();
    } finally {
      release();
    }
  }

  fingerprint(file: File): Promise<ImageFingerprint> {
    return fingerprintImage(new BlobSource(file), file.lastModified);
  }

  async openImage(id: string, file: File, how: OpenHow, progress: OpenListener | undefined): Promise<OpenedImage> {
    const abort = new AbortController();
    this.#cancels.set(id, abort);
    const { signal } = abort;
    try {
      return await this.undisturbed(() => this.#openFile(id, file, how, { signal, ...(progress ? { progress } : {}) }));
    } catch (error) {
      if (signal.aborted) throw new CoreError('image.cancelled', { name: file.name });
      throw error;
    } finally {
      this.#cancels.delete(id);
    }
  }

  async #openFile(
    id: string,
    file: File,
    { expected, otherDate = false, parts = [], inside, tableless = expected !== undefined }: OpenHow,
    told: { readonly signal: AbortSignal; readonly progress?: OpenListener },
  ): Promise<OpenedImage> {
    const source = new BlobSource(file);
    if (source.size === 0) throw new CoreError('image.empty', { name: file.name });
    const fingerprint = await this.fingerprint(file);
    const same = otherDate ? sameContent : sameImage;
    if (expected && !same(expected, fingerprint)) throw new CoreError('image.changed', { name: file.name });
    const spilled: SpillFile[] = [];
    const spill = async (): Promise<SpillFile | undefined> => {
      const made = await makeSpillFile();
      if (made) spilled.push(made);
      return made;
    };
    try {
      const { device, remarks } = await openImageDevice(source, { inside, spill, ...told });
      const image = { file, fingerprint, parts };
      const alone = parts.length === 0 && isFirstPart(file.name) ? [FIRST_PART] : [];
      const survey = await this.#open(id, file.name, device, { image, tableless, remarks: [...alone, ...remarks] });
      this.#giveBack(id);
      this.#spilled.set(id, spilled);
      return { survey, fingerprint };
    } catch (error) {
      for (const one of spilled) await one.close().catch(() => undefined);
      throw error;
    }
  }

  /** Calls off the opening of an image. */
  cancel(id: string): void {
    this.#cancels.get(id)?.abort();
  }

  async #open(
    id: string,
    name: string,
    base: BlockDevice,
    { medium, image, tableless = true, remarks = [] }: OpenedHow,
  ): Promise<Survey> {
    const layers = await DiskLayers.open(this.db, id, base);
    const { device } = layers;
    const session = await Session.open(device, name, tableless, remarks);
    this.#disks.set(id, { name, layers, medium: medium?.(device), image, session, indexes: new WeakMap() });
    return session.survey;
  }

  /** Waits for one that is being built. @throws CoreError `storage.lost` */
  async disk(id: string): Promise<OpenDisk> {
    await this.#builds.first(id);
    const disk = this.#disks.get(id);
    if (!disk) throw new CoreError('storage.lost', { what: 'The disk' });
    return disk;
  }

  /** Has sentences call a disk by another name. */
  rename(id: string, name: string): void {
    const disk = this.#disks.get(id);
    if (disk) this.#disks.set(id, { ...disk, name });
  }

  /** One that is open already. */
  known(id: string): OpenDisk | undefined {
    return this.#disks.get(id);
  }

  all(): Iterable<OpenDisk> {
    return this.#disks.values();
  }

  close(id: string): void {
    this.#disks.delete(id);
    this.#giveBack(id);
  }

  /** What a disk needed beside memory. */
  #giveBack(id: string): void {
    for (const one of this.#spilled.get(id) ?? []) void one.close().catch(() => undefined);
    this.#spilled.delete(id);
  }

  /** Looks at a disk again after something changed it. */
  async look(id: string): Promise<Survey> {
    return (await this.disk(id)).session.look();
  }

  async volume(id: string, number: number): Promise<OpenVolume> {
    return (await this.disk(id)).session.volume(number);
  }

  /** A volume's files by folder. */
  async index(id: string, number: number): Promise<FolderIndex> {
    const { session, indexes } = await this.disk(id);
    const { volume } = await session.volume(number);
    const known = indexes.get(volume) ?? this.undisturbed(() => FolderIndex.of(volume));
    indexes.set(volume, known);
    known.catch(() => indexes.delete(volume));
    return known;
  }
}
