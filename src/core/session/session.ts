/** A disk that is open: surveyed, with its volumes opened once and kept until something has changed it. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { probeFileSystem } from '@/core/fs';
import {
  findLost,
  surveyDisk,
  surveyMends,
  volumeNumbered,
  type FindOptions,
  type OpenVolume,
  type Survey,
} from '@/core/inspect';

export class Session {
  #survey: Survey;
  #volumes: Map<number, Promise<OpenVolume>>;

  private constructor(
    readonly device: BlockDevice,
    readonly name: string,
    private readonly remarks: readonly Finding[],
    [survey, volumes]: Awaited<ReturnType<typeof lookAt>>,
  ) {
    this.#survey = survey;
    this.#volumes = volumes;
  }

  /**
   * Looks at a disk, which is only read.
   * @param tableless takes what begins like nothing that is known for a disk whose table is gone
   * @param remarks what is to be said of the file that the disk is in: findings like any other
   * @throws what {@link surveyDisk} throws
   */
  static async open(
    device: BlockDevice,
    name: string,
    tableless = false,
    remarks: readonly Finding[] = [],
  ): Promise<Session> {
    return new Session(device, name, remarks, await lookAt(device, name, tableless, remarks));
  }

  get survey(): Survey {
    return this.#survey;
  }

  /** Looks again, after something has changed the disk; volumes that were open are not asked any more. */
  async look(): Promise<Survey> {
    this.#volumes = new Map();
    [this.#survey, this.#volumes] = await lookAt(this.device, this.name, true, this.remarks);
    return this.#survey;
  }

  /** Looks for volumes that no table names; they are part of the survey from then on. @throws the signal's reason */
  async find(options: Pick<FindOptions, 'signal' | 'progress'> = {}): Promise<Survey> {
    const volumes = this.#volumes;
    const opened: FindOptions['opened'] = (number, open) => volumes.set(number, Promise.resolve(open));
    const lost = await findLost(this.device, this.#survey, { ...options, opened });
    this.#survey = { ...this.#survey, lost };
    return this.#survey;
  }

  /** Looks at what could be mended on volumes that open; it is part of the survey from then on. */
  async lookForMends(): Promise<Survey> {
    this.#survey = await surveyMends(this.device, this.#survey);
    return this.#survey;
  }

  /**
   * The volume of a number, with the window it lies in.
   * @throws CoreError `fs.unknown` where there is none or its kind is not known, `fs.damaged` where the disk ends before it
   */
  volume(number: number): Promise<OpenVolume> {
    const volumes = this.#volumes;
    const known = volumes.get(number);
    if (known) return known;
    const opening = this.#open(number);
    volumes.set(number, opening);
    // One that could not be opened is tried again when it is asked for again.
    opening.catch(() => volumes.delete(number));
    return opening;
  }

  async #open(number: number): Promise<OpenVolume> {
    const found = volumeNumbered(this.#survey, number);
    if (!found) throw new CoreError('fs.unknown', { offset: 0 });
    const { start, length, info } = found;
    const { size } = this.device;
    if (start + length > size) {
      const reason = 'the image ends before the volume does';
      throw new CoreError('fs.damaged', { fileSystem: info?.title ?? 'unknown', reason, offset: size });
    }
    const window = new WindowDevice(this.device, start, length);
    const probed = await probeFileSystem(window);
    if (!probed) throw new CoreError('fs.unknown', { offset: start });
    return { volume: await probed.driver.open(window), window };
  }
}

async function lookAt(
  device: BlockDevice,
  name: string,
  tableless: boolean,
  remarks: readonly Finding[],
): Promise<[Survey, Map<number, Promise<OpenVolume>>]> {
  const volumes = new Map<number, Promise<OpenVolume>>();
  const survey = await surveyDisk(
    device,
    name,
    (number, open) => volumes.set(number, Promise.resolve(open)),
    tableless,
  );
  return [{ ...survey, findings: [...survey.findings, ...remarks] }, volumes];
}
