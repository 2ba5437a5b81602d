/** Reading whole disks in the worker: scans and speed, told in batches, so that the page has time to draw them. */
import {
  measureSpeed,
  partOf,
  PARTS,
  scan,
  type Measured,
  type ScanBatch,
  type SpeedResult,
  type Stretch,
} from '@/core/health';
import { isCoreError } from '@/core/errors';
import { hitsOf, type Hit, type Survey } from '@/core/inspect';
import type { Session } from '@/core/session';
import type { OpenDisk, OpenDisks } from './open-disks';

/** A page draws sixty times a second; less often is not seen. */
const TOLD_EVERY_MS = 40;

export class Health {
  readonly #tasks = new Map<string, AbortController>();

  constructor(private readonly disks: OpenDisks) {}

  /** Stops what reads a disk, at the next piece. */
  stop(id: string): void {
    this.#tasks.get(id)?.abort();
  }

  /** Reads a stretch of the disk, as far as the disk goes, or until it is stopped. @returns whether it came to the end */
  async scan(id: string, { start, end }: Stretch, told: (batch: ScanBatch) => void): Promise<boolean> {
    const disk = await this.disks.disk(id);
    const { device, clock } = sourceOf(disk);
    return this.#task(id, async (signal) => {
      const batches = new Batches(device.size, clock());
      let last = performance.now();
      const stretch = { start, end: Math.min(end, device.size) };
      for await (const event of scan(device, [stretch], { clock, signal })) {
        batches.add(event);
        if (performance.now() - last < TOLD_EVERY_MS) continue;
        // Whatever else was asked has its turn, to stop this with it.
        await new Promise((resolve) => setTimeout(resolve));
        last = performance.now();
        told(batches.take(clock()));
      }
      told(batches.take(clock()));
    });
  }

  /** @returns nothing where it was stopped */
  async speed(id: string, taken: string, told: (share: number) => void): Promise<SpeedResult | undefined> {
    const disk = await this.disks.disk(id);
    const { device, clock, measured } = sourceOf(disk);
    let result: SpeedResult | undefined;
    await this.#task(id, async (signal) => {
      let last = performance.now();
      const progress = (share: number): void => {
        if (performance.now() - last < TOLD_EVERY_MS) return;
        last = performance.now();
        told(share);
      };
      result = await measureSpeed(device, { clock, signal, measured, taken, progress });
    });
    return result;
  }

  /** What lies on places of a disk. */
  async hits(id: string, places: readonly Stretch[]): Promise<Hit[]> {
    const { session } = await this.disks.disk(id);
    return hitsOf(session.survey, places, async (number) => {
      try {
        return (await session.volume(number)).volume;
      } catch (error) {
        if (!isCoreError(error)) throw error;
        return undefined;
      }
    });
  }

  /** @returns the survey as it was where it was stopped */
  async find(id: string, session: Session, told: (done: number, total: number) => void): Promise<Survey> {
    let last = performance.now();
    await this.#task(id, async (signal) => {
      const progress = (done: number, total: number): void => {
        if (performance.now() - last < TOLD_EVERY_MS) return;
        last = performance.now();
        told(done, total);
      };
      await session.find({ signal, progress });
    });
    return session.survey;
  }

  async #task(id: string, act: (signal: AbortSignal) => Promise<void>): Promise<boolean> {
    this.#tasks.get(id)?.abort();
    const abort = new AbortController();
    this.#tasks.set(id, abort);
    try {
      await this.disks.undisturbed(() => act(abort.signal));
      return true;
    } catch (error) {
      if (!abort.signal.aborted) throw error;
      return false;
    } finally {
      if (this.#tasks.get(id) === abort) this.#tasks.delete(id);
    }
  }
}

/** A practice disk is measured by its medium's model, an image by the reading of its file. */
function sourceOf({ medium, layers: { device } }: OpenDisk) {
  const measured: Measured = medium ? 'medium' : 'file';
  const clock = medium ? () => medium.seconds : () => performance.now() / 1000;
  return { device: medium ?? device, clock, measured };
}

/** Gathers events until they are told. */
class Batches {
  readonly #bytes = new Float64Array(PARTS);
  readonly #seconds = new Float64Array(PARTS);
  readonly #touched = new Set<number>();
  #faults: Stretch[] = [];
  #slow: Stretch[] = [];
  #done = 0;

  constructor(
    private readonly size: number,
    private since: number,
  ) {}

  add(event: { kind: 'read' | 'fault' | 'slow'; start: number; end: number; seconds?: number }): void {
    const { kind, start, end } = event;
    if (kind === 'fault') this.#faults.push({ start, end });
    else if (kind === 'slow') this.#slow.push({ start, end });
    else {
      this.#done = end;
      const [first, last] = [partOf(this.size, start), partOf(this.size, end - 1)];
      const share = last - first + 1;
      for (let part = first; part <= last; part++) {
        this.#bytes[part]! += (end - start) / share;
        this.#seconds[part]! += event.seconds! / share;
        this.#touched.add(part);
      }
    }
  }

  take(now: number): ScanBatch {
    const course = [...this.#touched].map(
      (part) => [part, this.#bytes[part]! / Math.max(this.#seconds[part]!, 1e-9)] as const,
    );
    const batch = { done: this.#done, seconds: now - this.since, course, faults: this.#faults, slow: this.#slow };
    this.#touched.clear();
    this.#faults = [];
    this.#slow = [];
    this.since = now;
    return batch;
  }
}
