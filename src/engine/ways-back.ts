/** The ways back from runs on open disks: what can be taken back in which order, and what keeping that takes. */
import { CoreError } from '@/core/errors';
import type { DiskId } from '@/core/place';
import { alsoWritten, type Plan } from '@/core/plan';
import type { Database, KeptRun } from './database';
import { beginLayers, disksOfRun, mergeLayers, runsOf, waysBackOf, type DiskLayers, type WayBack } from './layers';
import type { OpenDisks } from './open-disks';
import type { RunStatus } from './protocol';

/** What is asked of the runs that go on. */
interface RunsBeside {
  assertNone(id: string): void;
  assertHoldsNothing(id: string): Promise<void>;
  status(id: string): Promise<RunStatus | undefined>;
}

/** The disks that a plan writes, but for what it sets aside. */
export const writtenBy = (id: string, plan: Plan): DiskId[] => [id, ...alsoWritten(plan).map((s) => s.disk)];

export class WaysBack {
  constructor(
    private readonly db: Database,
    private readonly disks: OpenDisks,
    private readonly runs: RunsBeside,
  ) {}

  #nameOf(id: string): string {
    return this.disks.known(id)?.name ?? 'a disk that is not open';
  }

  #holds(id: string, reason: string): CoreError {
    return new CoreError('run.holds', { name: this.#nameOf(id), reason });
  }

  /** What a run writes goes into layers of its own, so that it can be taken back. */
  async begin(id: string, run: string, plan: Plan): Promise<void> {
    const written = await Promise.all(writtenBy(id, plan).map(async (disk) => (await this.disks.disk(disk)).layers));
    await beginLayers(this.db, written, { run, on: id, at: new Date().toISOString(), steps: plan.steps.length });
  }

  of(id: string): Promise<WayBack[]> {
    return waysBackOf(this.db, id);
  }

  /** The layers of the disks that the last run on a disk wrote, as far as they are open. @throws CoreError `run.holds` */
  async toTakeOff(id: string, { run, on }: KeptRun): Promise<DiskLayers[]> {
    const disks = await disksOfRun(this.db, run);
    if (on !== id && disks.includes(on))
      throw this.#holds(id, `the last run that wrote it was on ${this.#nameOf(on)}, and is taken back there`);
    for (const disk of disks) {
      this.runs.assertNone(disk);
      if (disk !== id) await this.runs.assertHoldsNothing(disk);
      if ((await runsOf(this.db, disk)).at(-1)?.run !== run)
        throw this.#holds(disk, 'a later run wrote it, and has to be taken back first');
    }
    return disks.flatMap((disk) => this.disks.known(disk)?.layers ?? []);
  }

  /** @throws CoreError `run.holds` where files that a run took from another disk are on this one only */
  async assertTookNothing(id: string): Promise<void> {
    for (const { run, on } of await runsOf(this.db, id)) {
      const other = on === id ? (await disksOfRun(this.db, run)).find((disk) => disk !== id) : undefined;
      if (other === undefined) continue;
      const name = this.#nameOf(other);
      const reason = `it has files that a run took from ${name}. Take that run back, drop its way back, or take ${name} off the bench first`;
      throw this.#holds(id, reason);
    }
  }

  /**
   * Keeps what a run, and those before it, came to, and drops what taking them back needs, on all disks that they wrote.
   * @throws CoreError `run.holds`, `run.going-on`
   */
  async drop(id: string, run: string): Promise<void> {
    const layers = new Map<DiskLayers, string>();
    for (const [disk, last] of await this.#droppedWith(id, run)) {
      this.runs.assertNone(disk);
      const status = await this.runs.status(disk).catch(() => undefined);
      if (status && !status.certificate) throw this.#holds(disk, 'a run on it is unfinished');
      const open = this.disks.known(disk);
      if (!open) throw this.#holds(disk, 'one of these runs wrote it too');
      layers.set(open.layers, last);
    }
    await mergeLayers(this.db, layers);
  }

  /** Up to which run each disk has to be merged, where one is up to `run`. */
  async #droppedWith(id: string, run: string): Promise<Map<string, string>> {
    const out = new Map<string, string>();
    const wanted: (readonly [disk: string, run: string])[] = [[id, run]];
    for (let next = wanted.pop(); next; next = wanted.pop()) {
      const [disk, last] = next;
      const own = (await runsOf(this.db, disk)).map((r) => r.run);
      const known = out.get(disk);
      if (known !== undefined && own.indexOf(known) >= own.indexOf(last)) continue;
      out.set(disk, last);
      for (const before of own.slice(0, own.indexOf(last) + 1))
        for (const other of await disksOfRun(this.db, before)) if (other !== disk) wanted.push([other, before]);
    }
    return out;
  }
}
