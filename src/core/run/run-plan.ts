/** Carrying out a plan, from the beginning or from wherever a journal says it was. */
import { CoreError } from '@/core/errors';
import { alsoWritten, provePlan, stepWords, type Plan, type Step } from '@/core/plan';
import { certify, type Certificate, type VolumeProof } from '@/core/proof';
import { assertAsLeft, assertAsPlanned } from './binding';
import { replay } from './commit';
import { JOURNAL_VERSION } from './journal';
import { readRunState, type RunState } from './journal-state';
import type { RunPorts, RunProgress } from './ports';
import { RunLog } from './run-log';
import { takeSamples, type DiskSamples, type OtherSamples } from './samples';
import { performStep, proveVolume, StepContext } from './steps';
import { wipesIn } from './wipes';

/** How a run is begun. */
export interface RunStart {
  /** Which run it is; what is kept of it is told from that of others by this. */
  readonly run?: string;
  /** Volumes whose check finds errors are changed all the same. */
  readonly override?: boolean;
  /** What the copy that is worked on is known by, where it is not the disk itself. */
  readonly copy?: string;
  /** Whether a way back is kept beside the disk. */
  readonly undo?: boolean;
  /** Awaited once the run can be resumed, before its first write to the disk. */
  readonly begun?: (disk: DiskSamples, alsoWritten: readonly OtherSamples[]) => Promise<void>;
}

/**
 * Begins a run.
 * @throws CoreError `run.unfinished` when the journal holds a run that is not, `run.changed` when the disk is not as it
 *   was when the plan was derived, `run.stopped` when stopped, and whatever a step met; once it has begun, the journal can
 *   be resumed in every case
 */
export async function startRun(plan: Plan, ports: RunPorts, start: RunStart = {}): Promise<Certificate> {
  const { run = 'a run', override = false, copy, undo = false, begun } = start;
  const earlier = await readRunState(ports.journal);
  if (earlier && !earlier.certificate)
    throw new CoreError('run.unfinished', {
      reason: `step ${earlier.next + 1} of ${earlier.plan.steps.length} is next`,
    });
  provePlan(plan);
  const { survey, sources } = await assertAsPlanned(plan, ports);
  const disk = await takeSamples(ports.disk, survey);
  const others: OtherSamples[] = [];
  for (const [id, source] of sources)
    others.push({ disk: id, samples: await takeSamples(ports.others!.get(id)!, source) });
  if (earlier) await ports.journal.clear();
  await ports.journal.append({
    kind: 'begin',
    version: JOURNAL_VERSION,
    run,
    plan,
    disk,
    others,
    started: ports.now(),
    override,
    undo,
    ...(copy === undefined ? {} : { copy }),
  });
  await ports.journal.flush();
  await begun?.(disk, alsoWrittenOf(plan, others));
  return new Execution((await readRunState(ports.journal))!, ports, 'begun').go();
}

/** Samples of the other disks that a run writes too. */
export function alsoWrittenOf(plan: Plan, others: readonly OtherSamples[]): OtherSamples[] {
  const written = new Set(alsoWritten(plan).map((s) => s.disk));
  return others.filter((o) => written.has(o.disk));
}

/**
 * Goes on with the run in the journal.
 * @throws CoreError `run.nothing-to-resume`, `run.rewinding`, `journal.foreign` when the disk is not the one that the run
 *   left, and what {@link startRun} throws
 */
export async function resumeRun(ports: RunPorts): Promise<Certificate> {
  const state = await readRunState(ports.journal);
  if (!state) throw new CoreError('run.nothing-to-resume', { reason: 'none was begun' });
  if (state.rewinding) throw new CoreError('run.rewinding', {});
  if (state.certificate) return state.certificate;
  await assertAsLeft(state, ports);
  return new Execution(state, ports, 'resumed').go();
}

class Execution {
  readonly #proofs: VolumeProof[] = [];
  readonly #log: RunLog;
  private readonly ports: RunPorts;
  /** The step that is carried out. */
  #at: number;

  constructor(
    private readonly state: RunState,
    ports: RunPorts,
    how: 'begun' | 'resumed',
  ) {
    this.#log = new RunLog(ports);
    this.ports = this.#log.ports;
    this.#at = state.next;
    const { length } = state.plan.steps;
    this.#log.begun(how, how === 'begun' ? `${length} steps` : `step ${state.next + 1} of ${length} is next`);
  }

  async go(): Promise<Certificate> {
    try {
      await this.#steps();
      const certificate = await this.#finish();
      this.#log.finished(certificate.outcome);
      return certificate;
    } catch (error) {
      this.#log.ended(this.#at, error);
      throw error;
    }
  }

  async #steps(): Promise<void> {
    const { plan, next, committed } = this.state;
    let forgotten = false;
    for (let index = next; index < plan.steps.length; index++) {
      this.#at = index;
      if (this.ports.signal?.aborted) throw new CoreError('run.stopped', { step: index });
      const step = plan.steps[index]!;
      this.#report(index, 0, 'working');
      this.#log.step(index, step);
      if (step.kind === 'prove' && !forgotten) await this.ports.forget?.();
      forgotten ||= step.kind === 'prove';
      if (index === next && committed) await replay(this.ports, this.state);
      else await this.#guardStop(index, () => performStep(step, this.#context(index)));
      this.#log.done(index, step);
      this.#report(index, totalOf(step), 'done');
    }
  }

  #context(index: number): StepContext {
    const report = (bytes: number): void => this.#report(index, bytes);
    return new StepContext(index, this.state, this.ports, report, (proof) => void this.#proofs.push(proof));
  }

  async #finish(): Promise<Certificate> {
    const { plan, started } = this.state;
    // Proofs of steps finished before an interruption are not in memory; a proof is cheap to trust and cheap to repeat.
    const done = new Set(this.#proofs.map((p) => p.number));
    for (const [index, step] of plan.steps.entries())
      if (step.kind === 'prove' && !done.has(step.number))
        await this.#guardStop(index, () => proveVolume(step, this.#context(index)));
    const titles = plan.steps.map((s) => stepWords(s).title);
    const certificate = certify(
      started,
      this.ports.now(),
      titles,
      this.#proofs,
      await wipesIn(plan, this.ports.journal),
    );
    await this.ports.journal.append({ kind: 'finished', certificate });
    await this.ports.journal.flush();
    return certificate;
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
    this.ports.progress?.({ step, done, total: totalOf(this.state.plan.steps[step]!), state });
  }
}

const totalOf = ({ cost }: Step): number => cost.reads + cost.carries;
