/** Reading a kept volume for the proof: before, as the measure, and after, to be compared with it. */
import { SalvageDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { CheckStep, ProveStep } from '@/core/plan';
import { isHere } from '@/core/place';
import {
  compareManifests,
  digestWhole,
  lossesOf,
  manifestCsv,
  portableHasher,
  takeManifest,
  type ManifestEntry,
} from '@/core/proof';
import { readJournal } from '../journal-state';
import { mendedView } from './mending';
import type { StepContext, StepRunner } from './step-context';
import { expectedOf, measuresFor } from './transferring';

const MANIFEST_PART = 2000;

async function* readingOf(
  context: StepContext,
  device: BlockDevice,
  step: CheckStep | ProveStep,
  lost?: () => number,
): AsyncGenerator<ManifestEntry> {
  const { hasher, signal, alwaysBytes } = context.ports;
  const raw = new WindowDevice(device, step.at.start, step.at.length);
  const window = step.kind === 'check' && step.mended ? await mendedView(raw) : raw;
  const options = {
    ...(hasher ? { hasher } : {}),
    ...(signal ? { signal } : {}),
    ...(alwaysBytes ? { alwaysBytes } : {}),
    ...(lost ? { lost } : {}),
    progress: ({ bytes }: { bytes: number }) => context.report(bytes),
  };
  if (step.by === 'whole') yield digestWhole(window, options);
  else yield* takeManifest(await context.open(window), window, options);
}

export const check: StepRunner<CheckStep> = async (step, context) => {
  const { journal } = context.ports;
  if (step.changes && step.by === 'files') await assertSound(step, context);
  let entries: ManifestEntry[] = [];
  let part = 0;
  const keep = async (): Promise<void> => {
    await journal.append({ kind: 'manifest', number: step.number, part, entries });
    part += 1;
    entries = [];
  };
  const { device, lost } = measured(step, context);
  for await (const entry of readingOf(context, device, step, lost)) {
    entries.push(entry);
    if (entries.length >= MANIFEST_PART) await keep();
  }
  await keep();
  return context.markDone();
};

/** What is read as the measure. Where the run works on a copy of the disk, that is what it is a copy of. */
function measured({ at, salvage }: CheckStep, context: StepContext): { device: BlockDevice; lost?: () => number } {
  const device = isHere(at) ? (context.ports.original ?? context.ports.disk) : context.disk(at);
  if (!salvage) return { device };
  let bytes = 0;
  return { device: new SalvageDevice(device, (_, length) => (bytes += length)), lost: () => bytes };
}

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

/** Compares a volume with what the check kept of it, and with what came to it and went. @throws CoreError `storage.lost` */
export async function proveVolume(step: ProveStep, context: StepContext): Promise<void> {
  const after: ManifestEntry[] = [];
  for await (const entry of readingOf(context, context.disk(step.at), step)) after.push(entry);
  const measures = await measuresFor(step, context.ports.journal);
  if (!step.made && !measures.has(step.measure ?? step.number))
    throw new CoreError('storage.lost', { what: `What was read of ${step.name} before the run` });
  const before = await expectedOf(step, measures, context.ports.hasher);
  const comparison = compareManifests(before, after);
  const findings = step.by === 'files' ? await (await context.open(context.window(step.at))).check() : [];
  const lost = lossesOf(before, await unreadOf(step, context));
  const manifest = await digestOf(before, context);
  context.proven({
    ...comparison,
    number: step.number,
    name: step.name,
    findings,
    manifest,
    ...(lost ? { lost } : {}),
  });
}

async function digestOf(entries: readonly ManifestEntry[], { ports }: StepContext): Promise<string> {
  const hash = await (ports.hasher ?? portableHasher)();
  const encoder = new TextEncoder();
  for (const text of manifestCsv(entries)) hash.update(encoder.encode(text));
  return hash.digest();
}

/** Bytes that could not be read when the volume was copied, if it is a copy. */
async function unreadOf({ number }: ProveStep, { state, ports }: StepContext): Promise<number> {
  const copying = state.plan.steps.findIndex((s) => s.kind === 'carry' && s.keeps && s.number === number);
  if (copying < 0) return 0;
  const lost = new Map<number, number>();
  for await (const { record } of readJournal(ports.journal))
    if (record.kind === 'lost' && record.step === copying) lost.set(record.piece, record.bytes);
  return [...lost.values()].reduce((sum, bytes) => sum + bytes, 0);
}

export const prove: StepRunner<ProveStep> = async (step, context) => {
  await proveVolume(step, context);
  return context.markDone();
};
