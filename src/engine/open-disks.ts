/** The disks that are open, each an overlay over what is never written, and the volumes on them. */
import { MediumDevice, OverlayDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { probeFileSystem, type Volume } from '@/core/fs';
import {
  fingerprintImage,
  ImageDevice,
  openContainer,
  sameContent,
  sameImage,
  type ImageFingerprint,
} from '@/core/image';
import { detectSectorSize, mostBytesFor, surveyDisk, type Survey } from '@/core/inspect';
import { buildPracticeDisk, mediumOf, type Recipe } from '@/core/practice';
import { BlobSource } from './blob-source';
import type { Database } from './database';
import type { FolderIndex } from './folder-index';
import type { OpenedImage, OpenHow, OpenListener } from './protocol';
import { DexieOverlayStore } from './stores';

export interface OpenVolume {
  readonly volume: Volume;
  readonly window: BlockDevice;
  index?: Promise<FolderIndex>;
}

export interface OpenDisk {
  readonly name: string;
  readonly overlay: OverlayDevice;
  /** A practice disk's medium, which counts what a real one would take. */
  readonly medium: MediumDevice | undefined;
  /** The file that an image is in. */
  readonly image: { readonly file: File; readonly fingerprint: ImageFingerprint } | undefined;
  survey: Survey;
  readonly volumes: Map<number, Promise<OpenVolume>>;
}

export class OpenDisks {
  readonly #disks = new Map<string, OpenDisk>();
  /** Practice disks that are being built, each with when it is there. */
  readonly #opening = new Map<string, Promise<void>>();
  /** Images that are being opened, each with how to call that off. */
  readonly #cancels = new Map<string, AbortController>();
  #building: Promise<void> = Promise.resolve();

  constructor(private readonly db: Database) {}

  openPractice(id: string, recipe: Recipe): Promise<Survey> {
    // One disk is built after the other; whoever asks for one before its turn waits for it.
    const opening = this.#building.then(async () => {
      // Between two disks whatever else was asked has its turn.
      await new Promise((resolve) => setTimeout(resolve));
      const base = await buildPracticeDisk(recipe);
      return this.#open(id, recipe.name, base, { medium: (overlay) => new MediumDevice(overlay, mediumOf(recipe)) });
    });
    this.#building = opening.then(
      () => undefined,
      () => undefined,
    );
    this.#opening.set(id, this.#building);
    return opening;
  }

  fingerprint(file: File): Promise<ImageFingerprint> {
    return fingerprintImage(new BlobSource(file), file.lastModified);
  }

  async openImage(
    id: string,
    file: File,
    { expected, otherDate = false, inside }: OpenHow,
    progress: OpenListener | undefined,
  ): Promise<OpenedImage> {
    const abort = new AbortController();
    this.#cancels.set(id, abort);
    try {
      const source = new BlobSource(file);
      if (source.size === 0) throw new CoreError('image.empty', { name: file.name });
      const fingerprint = await this.fingerprint(file);
      const same = otherDate ? sameContent : sameImage;
      if (expected && !same(expected, fingerprint)) throw new CoreError('image.changed', { name: file.name });
      const { signal } = abort;
      const options = { signal, inside, mostBytes: mostBytesFor, ...(progress ? { progress } : {}) };
      const bytes = await openContainer(source, options);
      const sectorSize = await detectSectorSize(new ImageDevice(bytes, 512));
      const image = { file, fingerprint };
      const survey = await this.#open(id, file.name, new ImageDevice(bytes, sectorSize), { image });
      return { survey, fingerprint };
    } catch (error) {
      if (abort.signal.aborted) throw new CoreError('image.cancelled', { name: file.name });
      throw error;
    } finally {
      this.#cancels.delete(id);
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
    { medium, image }: { medium?: (overlay: OverlayDevice) => MediumDevice; image?: OpenDisk['image'] },
  ): Promise<Survey> {
    const overlay = await OverlayDevice.open(base, new DexieOverlayStore(this.db, id));
    const survey = await surveyDisk(overlay, name);
    this.#disks.set(id, { name, overlay, medium: medium?.(overlay), image, survey, volumes: new Map() });
    return survey;
  }

  /** Waits for one that is being built. @throws CoreError `storage.lost` */
  async disk(id: string): Promise<OpenDisk> {
    await this.#opening.get(id);
    const disk = this.#disks.get(id);
    if (!disk) throw new CoreError('storage.lost', { what: 'The disk' });
    return disk;
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
  }

  /** Looks at a disk again after something changed it. */
  async look(id: string): Promise<Survey> {
    const disk = await this.disk(id);
    disk.volumes.clear();
    disk.survey = await surveyDisk(disk.overlay, disk.name);
    return disk.survey;
  }

  async volume(id: string, number: number): Promise<OpenVolume> {
    const disk = await this.disk(id);
    const known = disk.volumes.get(number);
    if (known) return known;
    const opening = openVolume(disk, number);
    disk.volumes.set(number, opening);
    // One that could not be opened is tried again when it is asked for again.
    opening.catch(() => disk.volumes.delete(number));
    return opening;
  }
}

async function openVolume(disk: OpenDisk, number: number): Promise<OpenVolume> {
  const found = disk.survey.volumes.find((v) => v.number === number);
  if (!found || found.start + found.length > disk.overlay.size)
    throw new CoreError('fs.unknown', { offset: found?.start ?? 0 });
  const window = new WindowDevice(disk.overlay, found.start, found.length);
  const probed = await probeFileSystem(window);
  if (!probed) throw new CoreError('fs.unknown', { offset: found.start });
  return { volume: await probed.driver.open(window), window };
}
