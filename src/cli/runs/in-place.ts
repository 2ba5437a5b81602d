/** Runs that write the image itself. What they overwrite is kept beside it, unless a person does without. */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { DiskId } from '@/core/place';
import type { Certificate } from '@/core/proof';
import type { RanLayouts } from '@/core/report';
import {
  alsoWrittenOf,
  beginUndo,
  hasWritten,
  resumeRun,
  startRun,
  UndoKeeper,
  type DiskSamples,
  type OtherSamples,
  type RunState,
  type UndoRecord,
} from '@/core/run';
import { dirname } from 'node:path';
import { createBeside, FileDevice, type Files } from '../files';
import { claimScratch, FileLog, makeScratch, openScratch, othersOf, removeScratch } from '../kept';
import { note } from '../output';
import type { WithDisks } from '../with-disks';
import { assertWhole, markAlso, unmarkAlso } from './also-marks';
import { openToWrite, toWriteIn, type AlsoWritten } from './also-written';
import { assertOwnUndo } from './on-device';
import { leavePapers } from './papers';
import { planned } from './planned';
import { bringForward, dropWaysBack, putBehind, waysBack } from './ways-back';
import {
  journalToBegin,
  journalToResume,
  openUndo,
  sourcesToResume,
  undoOf,
  type JournalFile,
  type OpenUndo,
  type UndoFile,
} from './run-files';
import { freshRun, leavePaper, tell, tidyUp, withPorts, type RunCall } from './run-options';

/** Begins a run on the image itself. */
export async function startInPlace(call: RunCall): Promise<number> {
  const { files, image: path, beside, options } = call;
  return planned(call, async (image, { plan, override, ran }, sources) => {
    const run = freshRun();
    if (call.onDevice) await assertOwnUndo(files, path, beside);
    await bringForward(files, beside);
    const old = await openUndo(files, beside);
    await old?.file.close();
    const journal = await journalToBegin(files, beside);
    const wipes = plan.steps.some((s) => s.kind === 'wipe');
    if (wipes) note('What is wiped is not kept anywhere, so that this run can’t be rewound.');
    const undo = options.rewind === false || wipes ? undefined : await UndoInMaking.begin(files, beside, old);
    const file = await FileDevice.open(files, path, image.device.sectorSize);
    let scratch: FileDevice | undefined;
    let also: AlsoWritten | undefined;
    try {
      also = await openToWrite(files, toWriteIn(plan), beside, options);
      scratch = await makeScratch(files, options.scratch, plan, run);
    } catch (error) {
      await abandon(files, journal, undo);
      for (const open of [file, also]) await open?.close();
      throw error;
    }
    try {
      const keeper = undo && UndoKeeper.fresh(undo.log);
      const { disk, others } = kept(keeper, file, also);
      const begun = async (samples: DiskSamples, written: readonly OtherSamples[]): Promise<void> => {
        if (scratch) await claimScratch(files, options.scratch!, run);
        await markAlso(files, run, beside, also!.paths);
        if (undo) await undo.keep(run, samples, written);
        // What an earlier run kept is of no use once another has written.
        else await dropWaysBack(files, await waysBack(files, beside));
      };
      const start = { run, override, undo: undo !== undefined, begun };
      const certificate = await withPorts(
        call,
        { disk, others: othersOf(scratch, new Map([...sources, ...others])), journal },
        (ports) => startRun(plan, ports, start),
        also.paths,
      ).catch(async (error: unknown) => {
        if (journal.empty) {
          await scratch?.close();
          await removeScratch(files, options.scratch, run);
          await unmarkAlso(files, run, beside, also!.paths).catch(() => undefined);
          await abandon(files, journal, undo);
        }
        throw error;
      });
      return await finish(call, certificate, journal, { run, disk, keeper, ran, also: also.paths });
    } finally {
      for (const open of [journal, undo?.log, file, also, scratch]) await open?.close().catch(() => undefined);
    }
  });
}

/** Nothing was begun, and nothing stays behind. */
async function abandon(files: Files, journal: JournalFile, undo: UndoInMaking | undefined): Promise<void> {
  await journal.remove().catch(() => undefined);
  await undo?.abandon().catch(() => undefined);
}

/** Goes on with a run on the image itself. */
export async function resumeInPlace(call: RunCall): Promise<number> {
  const { files, image: path, beside, options } = call;
  const { file: journal, state } = await journalToResume(files, beside);
  try {
    if (state.copy !== undefined) throw new CoreError('journal.foreign', { reason: 'it is of a run with --out' });
    const file = await FileDevice.open(files, path, state.disk.sectorSize);
    let undo: UndoFile | undefined;
    const scratch = state.certificate ? undefined : await openScratch(files, options.scratch, state.plan, state.run);
    let sources: WithDisks | undefined;
    let also: AlsoWritten | undefined;
    try {
      sources = await sourcesToResume(call, state);
      also = await openToWrite(files, toWriteIn(state.plan), beside, options);
      for (const one of [path, ...also.paths]) await assertWhole(files, one, beside, state.run);
      if (!state.certificate) await markAlso(files, state.run, beside, also.paths);
      undo = state.undo ? await undoToResume(files, beside, state) : undefined;
      const keeper = undo && (await UndoKeeper.open(undo, state.run));
      const { disk, others } = kept(keeper, file, also);
      const all = othersOf(scratch, new Map([...sources.devices, ...others]));
      const certificate = await withPorts(call, { disk, others: all, journal }, resumeRun, also.paths);
      return await finish(call, certificate, journal, { run: state.run, disk, keeper, also: also.paths });
    } finally {
      for (const open of [undo, file, also, scratch, sources]) await open?.close().catch(() => undefined);
    }
  } finally {
    await journal.close().catch(() => undefined);
  }
}

/** The disks of a run with what they overwrite kept, where a way back is. */
function kept(
  keeper: UndoKeeper | undefined,
  file: FileDevice,
  { devices }: AlsoWritten,
): { disk: BlockDevice; others: ReadonlyMap<DiskId, BlockDevice> } {
  if (!keeper) return { disk: file, others: devices };
  return { disk: keeper.over(file), others: new Map([...devices].map(([id, d]) => [id, keeper.over(d, id)])) };
}

/** The way back of a run that is taken up; begun now where the run was cut before it wrote anything. */
async function undoToResume(files: Files, beside: string, state: RunState): Promise<UndoFile | undefined> {
  const found = await openUndo(files, beside);
  if (found?.state?.run === state.run) return found.file;
  await found?.file.close();
  // A run that is over needs none to be tidied up after.
  if (state.certificate) return undefined;
  if (hasWritten(state)) throw new CoreError('journal.foreign', { reason: 'the way back from its run is not there' });
  const undo = await UndoInMaking.begin(files, beside, found);
  await undo.keep(state.run, state.disk, alsoWrittenOf(state.plan, state.others));
  return undo.log;
}

/** What a run was on. */
interface RanOn {
  readonly run: string;
  readonly disk: BlockDevice;
  readonly keeper: UndoKeeper | undefined;
  readonly ran?: RanLayouts;
  /** Files of other disks that it wrote too. */
  readonly also: readonly string[];
}

/** The way back is sealed, and what only the run needed goes. Gone through again after a cut, it comes to the same. */
async function finish(
  call: RunCall,
  certificate: Certificate,
  journal: JournalFile,
  { run, disk, keeper, ran, also }: RanOn,
): Promise<number> {
  const { files, options } = call;
  await keeper?.noteLeft();
  const code = tell(certificate, options);
  await leavePaper('The papers of the run', () => leavePapers(call, certificate, journal, disk, ran));
  await tidyUp(async () => {
    await removeScratch(files, options.scratch, run);
    await unmarkAlso(files, run, call.beside, also);
    await journal.remove();
  });
  return code;
}

/** Whether a way back is of a run that came to its end; what a cut left of one that never began leads nowhere. */
const leadsBack = ({ state }: OpenUndo): boolean =>
  state !== undefined && (state.left !== undefined || 'file' in state.of);

/** A way back that goes before an earlier run's only when its own run has begun. */
class UndoInMaking {
  private constructor(
    private readonly files: Files,
    private readonly beside: string,
    private readonly path: string,
    readonly log: UndoFile,
    /** Whether what is there leads back from a run that is over, and is kept behind this one. */
    private readonly keepsOld: boolean,
    private kept: boolean,
  ) {}

  /** @param old what an earlier run has, which stays until this one's run has begun */
  static async begin(files: Files, beside: string, old: OpenUndo | undefined): Promise<UndoInMaking> {
    const path = undoOf(beside);
    if (!old) {
      const fresh = await FileLog.create<UndoRecord>(files, path);
      return new UndoInMaking(files, beside, path, fresh, false, false);
    }
    const fresh = await createBeside(files, path);
    await fresh.close();
    const log = (await FileLog.open<UndoRecord>(files, fresh.path))!;
    return new UndoInMaking(files, beside, path, log, leadsBack(old), false);
  }

  async keep(run: string, samples: DiskSamples, others: readonly OtherSamples[]): Promise<void> {
    await beginUndo(this.log, run, samples, others);
    if (this.log.path !== this.path) {
      if (this.keepsOld) await putBehind(this.files, this.beside);
      await this.files.rename(this.log.path, this.path);
      await this.files.syncFolder(dirname(this.path));
    }
    this.kept = true;
  }

  async abandon(): Promise<void> {
    if (!this.kept) await this.log.remove();
  }
}
