/** Carrying out a plan, from the beginning or from wherever a journal says it was. The only code that writes to a disk. */
import { OverlayDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { driverOf, probeFileSystem, type ByteRange, type Volume } from '@/core/fs';
import { stepWords, type FetchStep, type MoveStep, type ParkStep, type Plan, type Step } from '@/core/plan';
import {
  certify,
  compareManifests,
  digestWhole,
  takeManifest,
  type Certificate,
  type HasherFactory,
  type ManifestEntry,
  type VolumeProof,
} from '@/core/proof';
import { tableWrites } from '@/core/table';
import { applyNow } from './apply-now';
import { applyTransaction, commitToJournal, replay } from './commit';
import { placeElsewhere, readSeal, sealOf } from './elsewhere';
import type { JournalStore } from './journal';
import {
  assertReadable,
  carryAcross,
  carryPieces,
  listCarried,
  overlapsItself,
  readCarried,
  type MovePorts,
} from './move-volume';
import { readRunState, type RunState } from './journal-state';
import { StepTransaction } from './step-transaction';

/** What a run tells while it goes. Plain data. */
export interface RunProgress {
  readonly step: number;
  /** Bytes read or carried of the step's own total. */
  readonly done: number;
  readonly total: number;
  readonly state: 'working' | 'done';
}

/** What a run works with. */
export interface RunPorts {
  readonly disk: BlockDevice;
  /** Other disks that the plan sets volumes aside on, by what the plan knows them by. */
  readonly others?: ReadonlyMap<string, BlockDevice>;
  readonly journal: JournalStore;
  readonly hasher?: HasherFactory;
  readonly progress?: (progress: RunProgress) => void;
  /** Aborting stops at the next safe moment; the run can be resumed. */
  readonly signal?: AbortSignal;
  /** The time as an ISO string. */
  readonly now: () => string;
  readonly alwaysBytes?: boolean;
}

const MANIFEST_PART = 2000;
/** The table is the disk's first sector, and nothing of the disk is free to its step. */
const TABLE_START = 0;

/**
 * Begins a run.
 * @throws CoreError `run.unfinished` when the journal holds a run that is not, `run.stopped` when stopped, and
 *   whatever a step met; in every case the journal can be resumed
 */
export async function startRun(plan: Plan, ports: RunPorts, override = false): Promise<Certificate> {
  const earlier = await readRunState(ports.journal);
  if (earlier && !earlier.certificate)
    throw new CoreError('run.unfinished', {
      reason: `step ${earlier.next + 1} of ${earlier.plan.steps.length} is next`,
    });
  await ports.journal.clear();
  const { size, sectorSize } = ports.disk;
  await ports.journal.append({
    kind: 'begin',
    version: 1,
    plan,
    disk: { size, sectorSize },
    started: ports.now(),
    override,
  });
  await ports.journal.flush();
  return continueRun(ports);
}

/** Goes on with the run in the journal. @throws CoreError `run.nothing-to-resume`, and what {@link startRun} throws */
export async function resumeRun(ports: RunPorts): Promise<Certificate> {
  const state = await readRunState(ports.journal);
  if (!state) throw new CoreError('run.nothing-to-resume', { reason: 'the journal is empty' });
  if (state.certificate) return state.certificate;
  return continueRun(ports);
}

async function continueRun(ports: RunPorts): Promise<Certificate> {
  const state = (await readRunState(ports.journal))!;
  const { disk } = ports;
  if (state.disk.size !== disk.size || state.disk.sectorSize !== disk.sectorSize) {
    throw new CoreError('journal.foreign', {
      reason: `it is for a disk of ${state.disk.size} bytes, this one has ${disk.size}`,
    });
  }
  return new Execution(state, ports).go();
}

class Execution {
  readonly #proofs: VolumeProof[] = [];

  constructor(
    private readonly state: RunState,
    private readonly ports: RunPorts,
  ) {}

  async go(): Promise<Certificate> {
    const { plan, next, committed } = this.state;
    // What a later step needs shows before the first write.
    for (const step of plan.steps.slice(next)) {
      if (step.kind === 'park') placeElsewhere(this.ports.others, step.on, step.at.length);
      if (step.kind === 'fetch') placeElsewhere(this.ports.others, step.from, step.at.length);
    }
    for (let index = next; index < plan.steps.length; index++) {
      this.#assertNotStopped(index);
      const step = plan.steps[index]!;
      this.#report(index, 0, 'working');
      if (index === next && committed) await replay(this.ports.disk, this.ports.journal, index);
      else await this.#guardStop(index, () => this.#perform(index, step));
      this.#report(index, step.cost.reads + step.cost.carries, 'done');
    }
    return this.#finish();
  }

  async #finish(): Promise<Certificate> {
    const { plan, started } = this.state;
    // Proofs of steps finished before an interruption are not in memory; a proof is cheap to trust and cheap to repeat.
    const done = new Set(this.#proofs.map((p) => p.number));
    for (const step of plan.steps)
      if (step.kind === 'prove' && !done.has(step.number)) await this.#prove(plan.steps.indexOf(step), step);
    const certificate = certify(
      started,
      this.ports.now(),
      plan.steps.map((s) => stepWords(s).title),
      this.#proofs,
    );
    await this.ports.journal.append({ kind: 'finished', certificate });
    await this.ports.journal.flush();
    return certificate;
  }

  #assertNotStopped(step: number): void {
    if (this.ports.signal?.aborted) throw new CoreError('run.stopped', { step });
  }

  /** An abort inside a step surfaces as a safe stop; everything else as it is. */
  async #guardStop(step: number, act: () => Promise<void>): Promise<void> {
    try {
      await act();
    } catch (error) {
      if (this.ports.signal?.aborted && !(error instanceof CoreError))
        throw new CoreError('run.stopped', { step }, error);
      throw error;
    }
  }

  #report(step: number, done: number, state: RunProgress['state'] = 'working'): void {
    const { cost } = this.state.plan.steps[step]!;
    this.ports.progress?.({ step, done, total: cost.reads + cost.carries, state });
  }

  async #perform(index: number, step: Step): Promise<void> {
    switch (step.kind) {
      case 'check':
        return this.#check(index, step);
      case 'prove':
        await this.#prove(index, step);
        return this.#markDone(index);
      case 'move':
        return this.#move(index, step);
      case 'park':
        return this.#park(index, step);
      case 'fetch':
        return this.#fetch(index, step);
      case 'remove':
        return this.#markDone(index);
      case 'table':
        return this.#table(index, step);
      case 'make':
        return this.#make(index, step);
      case 'shrink':
        return this.#change(index, step.at, (volume, tx) => volume.shrink(step.to, tx, this.state));
      case 'grow':
        return this.#change(index, step.at, (volume, tx) => volume.grow(step.at.length, tx, this.state));
      case 'mark':
        return this.#change(index, step.at, (volume, tx) => volume.markForCheck(tx));
      case 'relabel':
        return this.#change(index, step.at, (volume, tx) => volume.relabel(step.label, tx));
    }
  }

  async #markDone(step: number): Promise<void> {
    await this.ports.journal.append({ kind: 'done', step });
    await this.ports.journal.flush();
  }

  #window(at: { start: number; length: number }): WindowDevice {
    return new WindowDevice(this.ports.disk, at.start, at.length);
  }

  async #open(window: BlockDevice): Promise<Volume> {
    const probed = await probeFileSystem(window);
    if (!probed) throw new CoreError('fs.unknown', { offset: 0 });
    return probed.driver.open(window);
  }

  async #check(index: number, step: Step & { kind: 'check' }): Promise<void> {
    if (step.changes && step.by === 'files') await this.#assertSound(step);
    let entries: ManifestEntry[] = [];
    let part = 0;
    const keep = async (): Promise<void> => {
      await this.ports.journal.append({ kind: 'manifest', number: step.number, part, entries });
      part += 1;
      entries = [];
    };
    for await (const entry of this.#manifest(index, step)) {
      entries.push(entry);
      if (entries.length >= MANIFEST_PART) await keep();
    }
    await keep();
    return this.#markDone(index);
  }

  /** Checked again just before the change, since the disk may not be the one that was surveyed. */
  async #assertSound(step: Step & { kind: 'check' }): Promise<void> {
    const volume = await this.#open(this.#window(step.at));
    const errors = (await volume.check()).filter((f: Finding) => f.severity === 'error');
    if (errors.length === 0 || this.state.override) return;
    throw new CoreError('fs.unsound', {
      fileSystem: volume.info.title,
      findings: errors.length,
      first: errors[0]!.message,
    });
  }

  async *#manifest(index: number, step: Step & { kind: 'check' | 'prove' }): AsyncGenerator<ManifestEntry> {
    const { hasher, signal, alwaysBytes } = this.ports;
    const window = this.#window(step.at);
    const options = {
      ...(hasher ? { hasher } : {}),
      ...(signal ? { signal } : {}),
      ...(alwaysBytes ? { alwaysBytes } : {}),
      progress: ({ bytes }: { bytes: number }) => this.#report(index, bytes),
    };
    if (step.by === 'whole') yield digestWhole(window, options);
    else yield* takeManifest(await this.#open(window), window, options);
  }

  async #prove(index: number, step: Step & { kind: 'prove' }): Promise<void> {
    const after: ManifestEntry[] = [];
    for await (const entry of this.#manifest(index, step)) after.push(entry);
    const comparison = compareManifests(await this.#manifestBefore(step.number), after);
    const findings = step.by === 'files' ? await (await this.#open(this.#window(step.at))).check() : [];
    this.#proofs.push({ ...comparison, number: step.number, name: step.name, findings });
  }

  /** The manifest that the check step kept. */
  async #manifestBefore(number: number): Promise<ManifestEntry[]> {
    let entries: ManifestEntry[] = [];
    for await (const { record } of this.ports.journal.entries()) {
      if (record.kind !== 'manifest' || record.number !== number) continue;
      if (record.part === 0) entries = [];
      entries.push(...record.entries);
    }
    return entries;
  }

  async #table(index: number, step: Step & { kind: 'table' }): Promise<void> {
    const { disk } = this.ports;
    const tx = new StepTransaction(disk, TABLE_START, [{ start: TABLE_START, end: disk.size }]);
    for (const { offset, bytes } of await tableWrites(disk, step.table)) await tx.write(offset, bytes);
    await this.#commit(index, tx);
  }

  async #move(index: number, step: MoveStep): Promise<void> {
    if (step.shrinkTo !== undefined) return this.#moveSmaller(index, step, step.shrinkTo);
    const { journal } = this.ports;
    const begun = this.#begunPieces(index);
    const ranges = begun === undefined ? await this.#toCarry(step) : await readCarried(journal, index);
    const ports = this.#movePorts(index);
    if (begun === undefined) {
      if (overlapsItself(step)) await assertReadable(ports, index, step, ranges);
      await listCarried(journal, index, ranges);
    }
    await carryPieces(ports, index, step, ranges, begun ?? 0);
    await this.#arrive(index, step, { start: step.to, length: step.at.length }, ranges);
  }

  /**
   * The volume is made smaller over its old place, in memory and by reference, and only what comes of it is carried. Its
   * old place is not written before all is in the new one, so that after a cut the same comes of it again.
   */
  async #moveSmaller(index: number, step: MoveStep, length: number): Promise<void> {
    const { disk, journal } = this.ports;
    const overlay = await OverlayDevice.open(this.#window(step.at));
    const volume = await this.#open(overlay);
    await applyNow(overlay, 0, await volume.allocation(), (tx) => volume.shrink(length, tx, this.state));
    const ranges = await (await this.#open(new WindowDevice(overlay, 0, length))).allocation();
    const begun = this.#begunPieces(index);
    if (begun === undefined) await listCarried(journal, index, ranges);
    const ends = [
      { device: overlay, start: 0 },
      { device: disk, start: step.to },
    ] as const;
    await carryAcross(this.#movePorts(index), index, ends, length, ranges, begun ?? 0);
    await this.#arrive(index, step, { start: step.to, length }, ranges);
  }

  /** Pieces of a step that were carried before an interruption, once what it carries is listed. */
  #begunPieces(index: number): number | undefined {
    return index === this.state.next ? this.state.pieces : undefined;
  }

  #movePorts(index: number): MovePorts {
    const { disk, journal, signal } = this.ports;
    const carried = (bytes: number): void => this.#report(index, bytes);
    return { disk, journal, carried, ...(signal ? { signal } : {}) };
  }

  /** What is in use of a volume that is still where it was; all of it where that is not known. */
  async #toCarry(step: MoveStep | ParkStep): Promise<readonly ByteRange[]> {
    if (step.whole) return [{ start: 0, end: step.at.length }];
    return (await this.#open(this.#window(step.at))).allocation();
  }

  async #park(index: number, step: ParkStep): Promise<void> {
    const { disk, journal } = this.ports;
    const target = placeElsewhere(this.ports.others, step.on, step.at.length);
    const begun = this.#begunPieces(index);
    const ranges = begun === undefined ? await this.#toCarry(step) : await readCarried(journal, index);
    if (begun === undefined) await listCarried(journal, index, ranges);
    const ends = [{ device: disk, start: step.at.start }, target] as const;
    await carryAcross(this.#movePorts(index), index, ends, step.at.length, ranges, begun ?? 0);
    await journal.append({ kind: 'parked', step: index, seal: await sealOf(target, ranges) });
    await journal.flush();
    const tx = this.#transaction(index, TABLE_START, [{ start: TABLE_START, end: disk.size }]);
    for (const { offset, bytes } of step.table ? await tableWrites(disk, step.table) : [])
      await tx.write(offset, bytes);
    await this.#commit(index, tx);
  }

  async #fetch(index: number, step: FetchStep): Promise<void> {
    const { disk, journal } = this.ports;
    const source = placeElsewhere(this.ports.others, step.from, step.at.length);
    const parked = this.state.plan.steps.findLastIndex(
      (s, i) => i < index && s.kind === 'park' && s.number === step.number,
    );
    const ranges = await readCarried(journal, parked);
    if ((await sealOf(source, ranges)) !== (await readSeal(journal, parked)))
      throw new CoreError('run.elsewhere', { name: step.from.name, reason: 'it is not what was put there' });
    const ends = [source, { device: disk, start: step.at.start }] as const;
    await carryAcross(this.#movePorts(index), index, ends, step.at.length, ranges, this.#begunPieces(index) ?? 0);
    await this.#arrive(index, step, step.at, ranges);
    // Nobody's files stay behind on a disk that only lent room.
    for (const { start, end } of ranges) await source.device.discard(source.start + start, end - start);
    await source.device.flush();
  }

  /** What refers to where a volume starts, and the table, follow in one go. */
  async #arrive(
    index: number,
    { whole, table }: Pick<FetchStep, 'whole' | 'table'>,
    at: { start: number; length: number },
    ranges: readonly ByteRange[],
  ): Promise<void> {
    const { disk } = this.ports;
    const tx = this.#transaction(index, at.start, ranges);
    if (!whole) await (await this.#open(this.#window(at))).rebase(at.start / disk.sectorSize, tx);
    for (const { offset, bytes } of table ? await tableWrites(disk, table) : [])
      await tx.write(offset - at.start, bytes);
    await this.#commit(index, tx);
  }

  async #make(index: number, step: Step & { kind: 'make' }): Promise<void> {
    const tx = this.#transaction(index, step.at.start, []);
    const driver = driverOf(step.fileSystem)!;
    const { label, clusterSize, serial, format, fileSystem: kind } = step;
    const startLba = step.at.start / this.ports.disk.sectorSize;
    const options = { kind, label, serial, startLba, format, ...(clusterSize ? { clusterSize } : {}) };
    await driver.make(this.#window(step.at), options, tx);
    await this.#commit(index, tx);
  }

  async #change(
    index: number,
    at: { start: number; length: number },
    act: (volume: Volume, tx: StepTransaction) => Promise<void>,
  ): Promise<void> {
    const window = this.#window(at);
    const volume = await this.#open(window);
    const tx = this.#transaction(index, at.start, await volume.allocation());
    await act(volume, tx);
    await this.#commit(index, tx);
  }

  #transaction(index: number, start: number, live: Awaited<ReturnType<Volume['allocation']>>): StepTransaction {
    let carried = 0;
    const { signal } = this.ports;
    return new StepTransaction(this.ports.disk, start, live, {
      ...(signal ? { signal } : {}),
      carried: (bytes) => {
        carried += bytes;
        this.#report(index, carried);
      },
    });
  }

  async #commit(index: number, tx: StepTransaction): Promise<void> {
    await commitToJournal(this.ports.disk, this.ports.journal, index, tx);
    await applyTransaction(this.ports.disk, this.ports.journal, index, tx);
  }
}
