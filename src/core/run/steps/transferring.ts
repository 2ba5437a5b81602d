/** Taking trees to other volumes, comparing them there, and taking them away where they were. */
import { SalvageDevice, WindowDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import {
  adoptionOf,
  carryOut,
  expectedAfter,
  isBelow,
  listingOf,
  listTree,
  partOfTree,
  removedOf,
  type Receipt,
} from '@/core/files';
import { joinRanges, holdingsWith, kindFacts, type Holdings, type NewFileFacts, type Volume } from '@/core/fs';
import { isHere } from '@/core/place';
import type { AdoptStep, ClearStep, CompareStep, Gives, LeftLink, ProveStep, TransferStep } from '@/core/plan';
import { compareManifests, portableHasher, takeManifest, type HasherFactory, type ManifestEntry } from '@/core/proof';
import type { JournalStore } from '../journal';
import { readJournal } from '../journal-state';
import type { StepRunner } from './step-context';

/** What is on a volume, as far as names go. */
async function pathsOf(volume: Volume): Promise<{ path: string; kind: string; stream?: string | undefined }[]> {
  const out = [];
  for await (const { path, kind, stream } of volume.walk()) out.push({ path, kind, stream });
  return out;
}

/**
 * All of it is one transaction: content goes to free clusters, and nothing shows before the redo record is durable. What
 * it comes from is only read, so that after a cut the same comes of it again.
 */
export const transfer: StepRunner<TransferStep> = async (step, context) => {
  const { from, at, folder, under, part, fileSystem, facts, source: name } = step;
  const disk = context.disk(from);
  // What can't be read of a disk that fails was taken for zeros when it was measured, and is so again.
  const device = isHere(from) ? disk : new SalvageDevice(disk, () => undefined);
  const window = new WindowDevice(device, from.start, from.length);
  const source = await context.open(window);
  const tree = partOfTree(await listTree(source, folder), part);
  if (listingOf(tree) !== facts.listing)
    throw new CoreError('run.changed', { reason: `${folder || 'what'} on ${name} has changed` });
  const target = await context.open(context.window(at));
  const tx = context.transaction(at, await target.allocation());
  const writer = await target.writer(tx);
  const holds = holdingsWith(kindFacts(fileSystem), target.info.clusterSize);
  const existing = await pathsOf(target);
  const { signal } = context.ports;
  await carryOut({ volume: source, device: window, tree }, { folder, under }, holds, existing, writer, signal);
  await writer.finish();
  await context.commit(tx);
};

/** One transaction, in which everything that the volume that goes has in use counts as live. */
export const adopt: StepRunner<AdoptStep> = async (step, context) => {
  const { at, to, from, under, fileSystem, facts, source: name } = step;
  const source = await context.open(context.window(from));
  const tree = await listTree(source, '');
  if (listingOf(tree) !== facts.listing)
    throw new CoreError('run.changed', { reason: `what is on ${name} has changed` });
  const target = await context.open(context.window(at));
  const { holds } = kindFacts(fileSystem);
  const adoption = adoptionOf(tree, { folder: '', under }, holds, await pathsOf(target));
  const offset = from.start - at.start;
  const held = (await source.allocation()).map(({ start, end }) => ({ start: start + offset, end: end + offset }));
  const live = joinRanges([...(await target.allocation()), ...held]);
  const tx = context.transaction(at, live);
  await target.adopt({ ...adoption, source, offset, size: to }, tx, context.state);
  await context.commit(tx);
};

/** @throws CoreError `run.differs` when anything is not as it was, so that nothing is taken away */
export const compare: StepRunner<CompareStep> = async (step, context) => {
  const { at, name } = step;
  const { hasher, signal, alwaysBytes } = context.ports;
  const window = context.window(at);
  const volume = await context.open(window);
  const measures = await measuresFor(step, context.ports.journal);
  const { expected, last } = await comparedBy(step, measures, hasher);
  const found: ManifestEntry[] = [];
  const options = {
    only: ({ path }: { path: string }) => last.has(path),
    progress: ({ bytes }: { bytes: number }) => context.report(bytes),
    ...(hasher ? { hasher } : {}),
    ...(signal ? { signal } : {}),
    ...(alwaysBytes ? { alwaysBytes } : {}),
  };
  for await (const entry of takeManifest(volume, window, options)) if (last.has(entry.path)) found.push(entry);
  const { differing, differences } = compareManifests(
    expected.filter((e) => last.has(e.path)),
    found,
  );
  const [first] = differences;
  if (first) throw new CoreError('run.differs', { name, path: first.path, what: first.what, count: differing });
  return context.markDone();
};

/** What must be there, and the paths that are looked at. */
async function comparedBy(
  step: CompareStep,
  measures: Measures,
  hasher: HasherFactory | undefined,
): Promise<{ expected: readonly ManifestEntry[]; last: ReadonlySet<string> }> {
  const { returns, receives, number } = step;
  if (returns !== undefined) {
    const { holds } = kindFacts(step.fileSystem);
    const expected = (measures.get(number) ?? [])
      .filter((e) => isBelow(e.path, returns))
      .map((e) => ({ ...e, times: holds.storedTimes(e.times) }));
    return { expected, last: new Set(expected.map((e) => e.path)) };
  }
  const expected = await expectedOf(step, measures, hasher);
  return { expected, last: receives.length === 0 ? new Set() : await arrived(step, measures, expected, hasher) };
}

/** The paths at which the last of what came to a volume stands. */
async function arrived(
  step: CompareStep,
  measures: Measures,
  expected: readonly ManifestEntry[],
  hasher: HasherFactory | undefined,
): Promise<Set<string>> {
  const before = await expectedOf({ ...step, receives: step.receives.slice(0, -1) }, measures, hasher);
  const known = new Set(before.map((e) => e.path));
  return new Set(expected.flatMap((e) => (known.has(e.path) ? [] : [e.path])));
}

export const clear: StepRunner<ClearStep> = ({ at, folder, part, link, fileSystem }, context) =>
  context.change(at, async (volume, tx) => {
    const left = link && (await leftFor(volume, folder, link, fileSystem));
    const writer = await volume.writer(tx);
    for (const path of await removedOf(volume, folder, part)) await writer.remove(path);
    if (left?.path) await writer.writeFile(folder, { kind: 'bytes', bytes: new Uint8Array(0) }, left);
    else if (left) await writer.mkdir(folder, left);
    await writer.finish();
  });

/** A link in the place of a folder, with its times and its rights. */
async function leftFor(volume: Volume, folder: string, link: LeftLink, kind: string): Promise<NewFileFacts> {
  const [own] = (await listTree(volume, folder)).entries;
  const { security } = await volume.details(own!);
  const stored = kindFacts(kind).holds.linkTo!.facts(link.volume, link.path);
  return { times: own!.times, attributes: [], ...stored, ...(security ? { security } : {}) };
}

/** What is read of a link that was left. */
async function linkEntry(
  { folder, link }: Gives,
  before: readonly ManifestEntry[],
  holds: Holdings,
  hasher: HasherFactory,
): Promise<ManifestEntry[]> {
  if (!link) return [];
  const { reparse, path } = holds.linkTo!.facts(link.volume, link.path);
  const stored = reparse ?? path!;
  const hash = await hasher();
  hash.update(stored);
  const times = holds.storedTimes(before.find((e) => e.path === folder)?.times ?? {});
  const sha256 = await hash.digest();
  const attributes = reparse ? ['reparse point'] : [];
  const beside = holds.newBeside?.('link');
  const own = { path: folder, kind: 'link', size: stored.length, times, attributes } as const;
  return [{ ...own, ...(beside === undefined ? {} : { beside }), sha256, method: 'bytes' }];
}

/** What a volume must hold by a step, from what was read before the run. */
export async function expectedOf(
  { number, fileSystem, receives = [], gives = [], measure = number }: ExpectingStep,
  measures: Measures,
  hasher: HasherFactory = portableHasher,
): Promise<ManifestEntry[]> {
  const before = measures.get(measure) ?? [];
  if (fileSystem === undefined) return before;
  const receipts = receives.map(({ measure: from, folder, under, part, adopted, uncompressed }): Receipt => {
    return { folder, under, part, adopted, uncompressed, from: measures.get(from) ?? [] };
  });
  const { holds } = kindFacts(fileSystem);
  const left = [];
  for (const given of gives) left.push(...(await linkEntry(given, before, holds, hasher)));
  const gone = gives.map((g) => g.folder);
  return expectedAfter(before, receipts, gone, left, holds);
}

type ExpectingStep = Pick<ProveStep, 'number' | 'fileSystem' | 'receives' | 'gives' | 'measure'>;

/** Manifests that check steps kept, by their number. */
type Measures = ReadonlyMap<number, ManifestEntry[]>;

/** All that a step is measured by, in one reading of the journal; nothing of a number that was not checked. */
export async function measuresFor(
  { number, receives = [], measure = number }: ExpectingStep,
  journal: JournalStore,
): Promise<Measures> {
  const wanted = new Set([measure, ...receives.map((r) => r.measure)]);
  const out = new Map<number, ManifestEntry[]>();
  for await (const { record } of readJournal(journal)) {
    if (record.kind !== 'manifest' || !wanted.has(record.number)) continue;
    // A check that was cut off begins again.
    if (record.part === 0) out.set(record.number, []);
    const entries = out.get(record.number);
    if (entries) for (const entry of record.entries) entries.push(entry);
  }
  return out;
}
