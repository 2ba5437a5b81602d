/** Reading a kept volume for the proof: before, as the measure, and after, to be compared with it. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { CheckStep, ProveStep } from '@/core/plan';
import { compareManifests, digestWhole, takeManifest, type ManifestEntry } from '@/core/proof';
import type { JournalStore } from '../journal';
import { readJournal } from '../journal-state';
import type { StepContext, StepRunner } from './step-context';

const MANIFEST_PART = 2000;

async function* manifestOf(
  context: StepContext,
  device: BlockDevice,
  step: CheckStep | ProveStep,
): AsyncGenerator<ManifestEntry> {
  const { hasher, signal, alwaysBytes } = context.ports;
  const window = new WindowDevice(device, step.at.start, step.at.length);
  const options = {
    ...(hasher ? { hasher } : {}),
    ...(signal ? { signal } : {}),
    ...(alwaysBytes ? { alwaysBytes } : {}),
    progress: ({ bytes }: { bytes: number }) => context.report(bytes),
  };
  if (step.by === 'whole') yield digestWhole(window, options);
  else yield* takeManifest(await context.open(window), window, options);
}

export const check: StepRunner<CheckStep> = async (step, context) => {
  const { journal, disk, original } = context.ports;
  if (step.changes && step.by === 'files') await assertSound(step, context);
  let entries: ManifestEntry[] = [];
  let part = 0;
  const keep = async (): Promise<void> => {
    await journal.append({ kind: 'manifest', number: step.number, part, entries });
    part += 1;
    entries = [];
  };
  // A copy is measured by what it is a copy of.
  for await (const entry of manifestOf(context, original ?? disk, step)) {
    entries.push(entry);
    if (entries.length >= MANIFEST_PART) await keep();
  }
  await keep();
  return context.markDone();
};

/** Checked again just before the change, since the disk may not be the one that was surveyed. */
async function assertSound({ at }: CheckStep, context: StepContext): Promise<void> {
  const volume = await context.open(context.window(at));
  const errors = (await volume.check()).filter((f) => f.severity === 'error');
  if (errors.length === 0 || context.state.override) return;
  throw new CoreError('fs.unsound', {
    fileSystem: volume.info.title,
    findings: errors.length,
    first: errors[0]!.message,
  });
}

/** Compares a volume with what the check kept of it. */
export async function proveVolume(step: ProveStep, context: StepContext): Promise<void> {
  const after: ManifestEntry[] = [];
  for await (const entry of manifestOf(context, context.ports.disk, step)) after.push(entry);
  const comparison = compareManifests(await manifestBefore(context.ports.journal, step), after);
  const findings = step.by === 'files' ? await (await context.open(context.window(step.at))).check() : [];
  context.proven({ ...comparison, number: step.number, name: step.name, findings });
}

export const prove: StepRunner<ProveStep> = async (step, context) => {
  await proveVolume(step, context);
  return context.markDone();
};

/** The manifest that the check step kept. @throws CoreError `storage.lost` */
async function manifestBefore(journal: JournalStore, { number, name }: ProveStep): Promise<ManifestEntry[]> {
  let entries: ManifestEntry[] | undefined;
  for await (const { record } of readJournal(journal)) {
    if (record.kind !== 'manifest' || record.number !== number) continue;
    if (record.part === 0) entries = [];
    if (!entries) break;
    entries.push(...record.entries);
  }
  if (!entries) throw new CoreError('storage.lost', { what: `What was read of ${name} before the run` });
  return entries;
}
