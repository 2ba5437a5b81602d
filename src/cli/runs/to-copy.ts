/**
 * Runs that make a new file. They work on a copy of a name of its own; only when everything that was kept is proven, against
 * the original, does it get the name it was asked for.
 */
import { CoreError } from '@/core/errors';
import type { Certificate } from '@/core/proof';
import type { RanLayouts } from '@/core/report';
import type { BlockDevice } from '@/core/device';
import { JOURNAL_VERSION, noteMade, resumeRun, startRun, type UndoRecord } from '@/core/run';
import {
  assertNew,
  createBeside,
  FileDevice,
  type FileFacts,
  makeFile,
  packingOf,
  publish,
  writeImage,
  writeRaw,
} from '../files';
import { claimScratch, FileLog, makeScratch, openScratch, othersOf, removeScratch } from '../kept';
import { openImage } from '../open-image';
import { note } from '../output';
import { leavePapers } from './papers';
import { planned } from './planned';
import {
  copyId,
  journalToBegin,
  journalToResume,
  madeId,
  openUndo,
  removeCopy,
  sourcesToResume,
  undoOf,
  workOf,
  type JournalFile,
} from './run-files';
import { freshRun, leavePaper, tell, tidyUp, withPorts, type RunCall } from './run-options';

/** Begins a run into a new file. */
export async function startToCopy(call: RunCall): Promise<number> {
  const { files, options } = call;
  const out = options.out!;
  await assertNew(files, out);
  return planned(call, async (image, { plan, override, ran }, sources) => {
    const old = await openUndo(files, out);
    await old?.file.close();
    const run = freshRun();
    const journal = await journalToBegin(files, out);
    let work: FileDevice | undefined;
    let copy: string | undefined;
    let scratch: FileDevice | undefined;
    let begun = false;
    try {
      copy = await makeCopy(call, image.device, journal, run);
      scratch = await makeScratch(files, options.scratch, plan, run);
      const disk = (work = await FileDevice.open(files, workOf(out), image.device.sectorSize));
      const start = {
        run,
        copy,
        override,
        begun: async () => {
          begun = true;
          if (scratch) await claimScratch(files, options.scratch!, run);
        },
      };
      const ports = { disk, original: image.device, others: othersOf(scratch, sources), journal };
      const certificate = await withPorts(call, ports, (all) => startRun(plan, all, start));
      return await finish(call, certificate, journal, { run, copy, disk, ran });
    } catch (error) {
      if (!begun) {
        // Nothing was begun, and nothing stays behind.
        await scratch?.close();
        await removeScratch(files, options.scratch, run).catch(() => undefined);
        if (copy !== undefined) await removeCopy(files, out, copy).catch(() => undefined);
        await journal.remove().catch(() => undefined);
      }
      throw error;
    } finally {
      for (const open of [journal, work, scratch]) await open?.close().catch(() => undefined);
    }
  });
}

/**
 * Makes the copy that is worked on. It has its name only once the journal says that it is ours, so that whatever a cut
 * leaves behind under that name is known.
 */
async function makeCopy(
  { files, options }: RunCall,
  disk: BlockDevice,
  journal: JournalFile,
  run: string,
): Promise<string> {
  const path = workOf(options.out!);
  await assertNew(files, path);
  const file = await createBeside(files, path);
  let copy: string | undefined;
  try {
    copy = copyId(await file.facts());
    await journal.append({ kind: 'copying', version: JOURNAL_VERSION, run, copy });
    await journal.flush();
    await publish(files, file.path, path);
    await writeRaw(disk, file);
    await file.sync();
    return copy;
  } catch (error) {
    await files.remove(file.path).catch(() => undefined);
    if (copy !== undefined) await removeCopy(files, options.out!, copy).catch(() => undefined);
    throw error;
  } finally {
    await file.close().catch(() => undefined);
  }
}

/** Goes on with a run into a new file. */
export async function resumeToCopy(call: RunCall): Promise<number> {
  const { files, options } = call;
  const out = options.out!;
  const { file: journal, state } = await journalToResume(files, out);
  try {
    const { run, copy, plan, certificate } = state;
    if (copy === undefined) throw new CoreError('journal.foreign', { reason: 'it is of a run in place' });
    if (certificate && (await isMade(call, run))) return await leave(call, certificate, journal, run, copy);
    await assertCopy(call, copy);
    const disk = await FileDevice.open(files, workOf(out), state.disk.sectorSize);
    if (certificate) return await finish(call, certificate, journal, { run, copy, disk }).finally(() => disk.close());
    const open: { close(): Promise<void> }[] = [disk];
    const opened = <T extends { close(): Promise<void> }>(one: T): T => (open.push(one), one);
    try {
      const sources = opened(await sourcesToResume(call, state));
      const scratch = await openScratch(files, options.scratch, plan, run);
      if (scratch) opened(scratch);
      const sectorSize = String(plan.relies.sectorSize);
      const image = opened(await openImage(files, call.image, { ...options, sectorSize }, 'device only'));
      const ports = { disk, original: image.device, others: othersOf(scratch, sources.devices), journal };
      return await finish(call, await withPorts(call, ports, resumeRun), journal, { run, copy, disk });
    } finally {
      for (const one of open) await one.close().catch(() => undefined);
    }
  } finally {
    await journal.close().catch(() => undefined);
  }
}

async function assertCopy({ files, options }: RunCall, copy: string): Promise<void> {
  const found = await files.facts(workOf(options.out!));
  if (found && copyId(found) === copy) return;
  const is = found ? 'is not the copy that its run made' : 'is not there';
  throw new CoreError('journal.foreign', { reason: `${workOf(options.out!)} ${is}` });
}

/** What a run worked on. */
interface WorkedOn {
  readonly run: string;
  readonly copy: string;
  readonly disk: FileDevice;
  readonly ran?: RanLayouts;
}

/** Gives the result its name, if it is what it shall be; else it stays what the run worked on. */
async function finish(
  call: RunCall,
  certificate: Certificate,
  journal: JournalFile,
  { run, copy, disk, ran }: WorkedOn,
): Promise<number> {
  const { files, options } = call;
  await leavePaper('The papers of the run', () => leavePapers(call, certificate, journal, disk, ran));
  const out = options.out!;
  if (certificate.volumes.some((v) => v.differing > 0)) {
    note(`${out} was not made. What the run came to is kept as ${workOf(out)} until it is rewound.`);
    return tell(certificate, options);
  }
  await assertNew(files, out);
  if (!packingOf(out)) {
    await made(call, run, (await files.facts(workOf(out)))!);
    await publish(files, workOf(out), out);
  } else {
    await makeFile(
      files,
      out,
      (file) => writeImage(disk, file, out),
      (facts) => made(call, run, facts),
    );
  }
  return leave(call, certificate, journal, run, copy);
}

/** What only the run needed goes. Gone through again after a cut, it comes to the same. */
async function leave(
  { files, options }: RunCall,
  certificate: Certificate,
  journal: JournalFile,
  run: string,
  copy: string,
): Promise<number> {
  const code = tell(certificate, options);
  await tidyUp(async () => {
    await removeCopy(files, options.out!, copy);
    await removeScratch(files, options.scratch, run);
    await journal.remove();
  });
  return code;
}

/** Keeps which file the run makes, so that it and no other is taken away by rewinding. */
async function made({ files, options }: RunCall, run: string, facts: FileFacts): Promise<void> {
  const path = undoOf(options.out!);
  const old = await openUndo(files, options.out!);
  await old?.file.remove();
  if (options.rewind === false) return;
  const log = await FileLog.create<UndoRecord>(files, path);
  try {
    await noteMade(log, run, madeId(facts));
  } finally {
    await log.close();
  }
}

/** Whether the file that the run makes has its name already. */
async function isMade({ files, options }: RunCall, run: string): Promise<boolean> {
  const undo = await openUndo(files, options.out!);
  await undo?.file.close();
  const found = await files.facts(options.out!);
  const { state } = undo ?? {};
  return found !== undefined && state?.run === run && 'file' in state.of && state.of.file === madeId(found);
}
