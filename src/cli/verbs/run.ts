/** The verb that writes: run, resume, rewind. The original is written only with --in-place. */
import { parseTarget, resolveTarget } from '@/core/job';
import { derivePlan, type Plan } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import { readRunState, resumeRun, rewindDisk, startRun, UndoDevice, type RunPorts } from '@/core/run';
import { formatSize, spaced } from '@/core/size';
import type { BlockDevice } from '@/core/device';
import { existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { copyImage, writeOut } from '../files/copy-image';
import { FileDevice } from '../files/file-device';
import { makeScratch, openScratch, removeScratch, scratchIn } from '../files/scratch';
import { FileUndo, openJournal } from '../files/stores';
import { nodeHasher } from '../node-hasher';
import { openImage, readJson } from '../open-image';
import { EXIT, print, UsageError } from '../output';

export interface RunOptions {
  readonly json?: boolean;
  readonly sectorSize?: string;
  readonly target?: string;
  readonly scratch?: string;
  readonly out?: string;
  readonly inPlace?: boolean;
  readonly resume?: boolean;
  readonly rewind?: boolean | string;
  readonly override?: boolean;
}

/** `rewind: false` comes from --no-rewind: keep no undo data. */
export async function run(path: string, options: RunOptions): Promise<number> {
  if ((options.out === undefined) === !options.inPlace) throw new UsageError('Say either --out OUT or --in-place.');
  const written = options.inPlace ? path : options.out!;
  if (options.rewind === true) return rewind(written, options);
  if (!options.resume && options.target === undefined)
    throw new UsageError('Say --target T.json, --resume or --rewind.');
  return options.resume ? resume(written, options) : start(path, written, options);
}

async function start(path: string, written: string, options: RunOptions): Promise<number> {
  const image = await openImage(path, options.sectorSize);
  const target = parseTarget(await readJson(options.target!));
  const { layout, notes } = resolveTarget(image.survey, target);
  const { checkAtNextStart } = target;
  const scratch = scratchIn(options.scratch, image.survey);
  const plan = derivePlan(image.survey, layout, { override: options.override ?? false, checkAtNextStart, scratch });
  const { sectorSize } = image.device;
  if (image.packed && options.inPlace) throw new UsageError('A packed image can’t be written itself; say --out OUT.');
  if (!options.inPlace && existsSync(written))
    throw new UsageError(`${written} exists already; resume it, rewind it or name another.`);
  await makeScratch(plan, sectorSize);
  if (image.packed) await writeOut(image.device, written);
  await image.close();
  for (const note of notes) process.stderr.write(`${note}\n`);
  if (!options.inPlace && !image.packed) await copyImage(path, written);
  const start = (ports: RunPorts): Promise<Certificate> => startRun(plan, ports, options.override ?? false);
  return execute(written, sectorSize, plan, options, start, true);
}

async function resume(written: string, options: RunOptions): Promise<number> {
  if (!existsSync(`${written}.ullager-journal`)) throw new UsageError(`There is no run to resume beside ${written}.`);
  const journal = await openJournal(written);
  const state = await readRunState(journal);
  await journal.close();
  const sectorSize = state?.disk.sectorSize ?? 512;
  return execute(written, sectorSize, state?.plan, options, resumeRun, false);
}

async function execute(
  written: string,
  sectorSize: number,
  plan: Plan | undefined,
  options: RunOptions,
  act: (ports: RunPorts) => Promise<Certificate>,
  fresh: boolean,
): Promise<number> {
  const file = await FileDevice.open(written, sectorSize);
  const journal = await openJournal(written);
  const undo = options.inPlace && options.rewind !== false ? await FileUndo.open(written) : undefined;
  const others = plan ? await openScratch(plan, sectorSize) : new Map<string, FileDevice>();
  try {
    if (fresh && !(await readRunState(journal))) await undo?.clear();
    const disk: BlockDevice = undo ? await UndoDevice.open(file, undo) : file;
    const certificate = await act({
      disk,
      others,
      journal,
      hasher: nodeHasher,
      now: () => new Date().toISOString(),
      alwaysBytes: true,
    });
    await journal.remove();
    if (plan) await removeScratch(plan);
    print(certificate, certificateWords(certificate), options.json);
    return certificate.proven ? EXIT.done : EXIT.no;
  } finally {
    await journal.close();
    await undo?.close();
    for (const other of others.values()) await other.close();
    await file.close();
  }
}

function certificateWords(certificate: Certificate): string[] {
  const { volumes } = certificate;
  return [
    ...certificate.steps.map((step, i) => `${i + 1}  ${step}`),
    ...volumes.map(
      (v) =>
        `${v.name}: ${spaced(v.files)} files and ${spaced(v.folders)} folders, ${formatSize(v.bytes)}, ${spaced(v.identical)} identical, ${spaced(v.differing)} differ`,
    ),
    certificate.proven ? 'Proven: everything that was kept is as it was.' : 'NOT PROVEN: see the differences.',
  ];
}

/** What an unfinished run set aside is not wanted once all is put back. */
async function removeScratchOf(written: string): Promise<void> {
  if (!existsSync(`${written}.ullager-journal`)) return;
  const journal = await openJournal(written);
  const state = await readRunState(journal);
  await journal.close();
  if (state) await removeScratch(state.plan);
}

async function rewind(written: string, options: RunOptions): Promise<number> {
  await removeScratchOf(written);
  if (!options.inPlace) {
    for (const file of [written, `${written}.part`, `${written}.ullager-journal`]) await rm(file, { force: true });
    print(
      { version: 1, rewound: true, bytes: 0 },
      [`${written} is taken away; the original was never written.`],
      options.json,
    );
    return EXIT.done;
  }
  if (!existsSync(`${written}.ullager-undo`)) throw new UsageError(`There is nothing to rewind beside ${written}.`);
  const undo = await FileUndo.open(written);
  const disk = await FileDevice.open(written, 512);
  const bytes = await rewindDisk(disk, undo);
  await disk.close();
  await rm(`${written}.ullager-journal`, { force: true });
  await undo.remove();
  print({ version: 1, rewound: true, bytes }, [`${formatSize(bytes)} put back; the disk is as it was.`], options.json);
  return EXIT.done;
}
