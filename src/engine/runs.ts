/** The runs on open disks, and who keeps out of whose way. */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import type { DiskId, Place } from '@/core/place';
import { otherDisks, placesElsewhere, stepLent, type Plan } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import { hasWritten, manifestsIn, readRunState, resumeRun, startRun, type RunPorts } from '@/core/run';
import type { Database } from './database';
import { isMerged, runsOf, takeOff } from './layers';
import type { OpenDisks } from './open-disks';
import type { ProgressListener, RunHow, RunStatus } from './protocol';
import { RunLogs } from './run-logs';
import { clearStored, DexieJournal } from './stores';
import { WaysBack, writtenBy } from './ways-back';
import { webHasher } from './web-hasher';

const PROGRESS_EVERY_MS = 150;

export class Runs {
  readonly #running = new Map<string, AbortController>();
  readonly logs: RunLogs;
  readonly ways: WaysBack;

  constructor(
    private readonly db: Database,
    private readonly disks: OpenDisks,
  ) {
    this.logs = new RunLogs(db);
    this.ways = new WaysBack(db, disks, this);
  }

  async status(id: string): Promise<RunStatus | undefined> {
    const state = await readRunState(new DexieJournal(this.db, id));
    return state && { plan: state.plan, next: state.next, started: state.started, certificate: state.certificate };
  }

  async start(id: string, plan: Plan, how: RunHow, progress: ProgressListener): Promise<Certificate> {
    return this.#stoppable(id, async (abort) => {
      await this.assertHoldsNothing(id);
      const { medium } = await this.disks.disk(id);
      if (medium) medium.pace = how.paced ? 1 : 0;
      const run = crypto.randomUUID();
      const begun = (): Promise<void> => this.ways.begin(id, run, plan);
      const start = { run, override: how.override ?? false, begun };
      return this.#execute(id, plan, abort, progress, (ports) => startRun(plan, ports, start));
    });
  }

  async resume(id: string, progress: ProgressListener): Promise<Certificate> {
    return this.#stoppable(id, async (abort) => {
      const state = await readRunState(new DexieJournal(this.db, id));
      if (state && !hasWritten(state)) await this.ways.begin(id, state.run, state.plan);
      return this.#execute(id, state?.plan, abort, progress, resumeRun);
    });
  }

  /** A run that can be stopped from the moment it is asked for, also before all it needs is open. */
  async #stoppable(id: string, act: (abort: AbortController) => Promise<Certificate>): Promise<Certificate> {
    this.assertNone(id);
    const abort = new AbortController();
    this.#running.set(id, abort);
    try {
      return await act(abort);
    } finally {
      this.#running.delete(id);
    }
  }

  /** What the run on a disk compared a volume with, as CSV in chunks; nothing where there was no such run. */
  async *manifest(id: string, number: number): AsyncGenerator<Uint8Array> {
    const encoder = new TextEncoder();
    for await (const { csv } of manifestsIn(new DexieJournal(this.db, id), webHasher, number))
      for (const text of csv) yield encoder.encode(text);
  }

  stop(id: string): void {
    this.#running.get(id)?.abort();
  }

  /** @throws CoreError `run.going-on` while a run on the disk, or one that uses it, goes on */
  assertNone(id: string): void {
    if (!this.#running.has(id)) return;
    throw new CoreError('run.going-on', { name: this.disks.known(id)?.name ?? 'the disk' });
  }

  /** @throws CoreError `run.holds` while an unfinished run on another disk has something on this one, or copies from it */
  async assertHoldsNothing(id: string): Promise<void> {
    for (const other of await this.db.journal.orderBy('diskId').uniqueKeys()) {
      if (other === id || typeof other !== 'string') continue;
      // A journal that can't be read is not acted on, and holds nothing.
      const status = await this.status(other).catch(() => undefined);
      if (!status || status.certificate || !otherDisks(status.plan).has(id)) continue;
      const run = this.disks.known(other)?.name ?? 'another disk';
      const { name } = await this.disks.disk(id);
      const lends = placesElsewhere(status.plan).has(id);
      const reason = `the unfinished run on ${run} ${lends ? 'has something set aside on it' : 'copies from it'}`;
      throw new CoreError('run.holds', { name, reason });
    }
  }

  /** The other disks that a plan works with. @throws CoreError `run.holds` where a run on one is unfinished */
  async #others(plan: Plan | undefined): Promise<Map<DiskId, BlockDevice>> {
    const out = new Map<DiskId, BlockDevice>();
    for (const id of plan ? otherDisks(plan) : []) {
      // One that is not on the bench shows as such where it is needed.
      const disk = await this.disks.disk(id).catch(() => undefined);
      if (!disk) continue;
      const status = await this.status(id);
      if (status && !status.certificate)
        throw new CoreError('run.holds', { name: disk.name, reason: 'a run on it is unfinished' });
      out.set(id, disk.medium ?? disk.layers.device);
    }
    return out;
  }

  async #execute(
    id: string,
    plan: Plan | undefined,
    abort: AbortController,
    progress: ProgressListener,
    act: (ports: RunPorts) => Promise<Certificate>,
  ): Promise<Certificate> {
    // Whatever lends room or is copied from takes part, and is left alone by all others as long.
    const taking = plan ? [...otherDisks(plan)] : [];
    for (const other of taking) this.assertNone(other);
    for (const other of taking) this.#running.set(other, abort);
    try {
      const [disk, others] = await Promise.all([this.disks.disk(id), this.#others(plan)]);
      const { medium } = disk;
      const before = medium?.seconds ?? 0;
      const ports: RunPorts = {
        disk: medium ?? disk.layers.device,
        others,
        journal: new DexieJournal(this.db, id),
        hasher: webHasher,
        now: () => new Date().toISOString(),
        signal: abort.signal,
        log: (line) => this.logs.add(id, line),
        progress: paced((report) => progress(medium ? { ...report, simulated: medium.seconds - before } : report)),
      };
      return await this.disks.undisturbed(() => act(ports));
    } finally {
      for (const other of taking) this.#running.delete(other);
      for (const written of plan ? writtenBy(id, plan) : [id]) await this.disks.look(written).catch(() => undefined);
    }
  }

  /**
   * Takes the last run on a disk back, on every disk that it wrote. What an unfinished one set aside on other disks is not
   * wanted then.
   * @throws CoreError `run.holds` where another run has to be taken back first
   */
  async rewind(id: string): Promise<Survey> {
    this.assertNone(id);
    await this.assertHoldsNothing(id);
    const { layers } = await this.disks.disk(id);
    // Emptied first: what is known of it goes with the journal. Where there is no room left for that, it is made first.
    const state = await readRunState(new DexieJournal(this.db, id)).catch(() => undefined);
    const places = state && !state.certificate ? state.plan.steps.slice(0, state.next + 1).flatMap(stepLent) : [];
    for (const { disk } of places)
      if (!this.disks.known(disk)) {
        const name = state!.plan.lent.find((l) => l.disk === disk)?.name ?? 'the other disk';
        throw new CoreError('run.elsewhere', { name, reason: 'it is not open, and something is set aside on it' });
      }
    const last = (await runsOf(this.db, id)).at(-1);
    // One that was cut off before its first write has a journal, and no layer.
    const unwritten = state !== undefined && !state.certificate && last?.run !== state.run && !hasWritten(state);
    if (!last && !unwritten && (await isMerged(this.db, id)))
      throw new CoreError('run.nothing-to-rewind', { reason: 'what taking its runs back needs was dropped' });
    const open = last && !unwritten ? await this.ways.toTakeOff(id, last) : [];
    const emptied = await this.#empty(places).then(
      () => true,
      () => false,
    );
    if (unwritten) await new DexieJournal(this.db, id).clear();
    else if (last) await takeOff(this.db, last, open);
    else {
      await clearStored(this.db, id);
      await layers.device.top.rewind();
    }
    if (!emptied) await this.#empty(places);
    this.logs.add(id, { at: new Date().toISOString(), what: 'rewound' });
    for (const other of open) if (other !== layers) await this.disks.look(other.id);
    return this.disks.look(id);
  }

  async #empty(places: readonly Place[]): Promise<void> {
    for (const { disk, start, length } of places) {
      const device = this.disks.known(disk)?.layers.device;
      await device?.discard(start, length);
      await device?.flush();
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
