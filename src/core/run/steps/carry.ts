/** Carrying a volume: on the disk itself, away to another disk, and back; and clearing what was there. */
import { OverlayDevice, SalvageDevice, WindowDevice, type BlockDevice } from '@/core/device';
import type { ByteRange } from '@/core/fs';
import { overlapsItself, wayOf, windowOf, windowsOf, type CarryStep, type EmptyStep } from '@/core/plan';
import { applyNow } from '../apply-now';
import {
  assertReadable,
  inPieces,
  listCarried,
  readCarried,
  type CarryPiece,
  type CarryPorts,
  type Together,
} from '../carry-pieces';
import { assertSealed, copyParts, sealArrived, type CarryEnd } from '../seal';
import type { StepContext, StepRunner } from './step-context';

/** Pieces that are references; a stop waits for no more than these. */
const MOST_AT_ONCE = 64;

export const carry: StepRunner<CarryStep> = (step, context) => {
  const way = wayOf(step);
  if (way === 'copy') return copy(step, context);
  if (way === 'away') return carryAway(step, context);
  if (way === 'back') return step.made ? carryMade(step, context) : carryBack(step, context);
  return step.to.length < step.from.length ? moveSmaller(step, context) : move(step, context);
};

/** Pieces of the step that were carried before an interruption, once what it carries is listed. */
const begunPieces = ({ index, state }: StepContext): number | undefined =>
  index === state.next ? state.pieces : undefined;

function portsOf({ ports: { journal, signal }, report }: StepContext): CarryPorts {
  return { journal, carried: report, ...(signal ? { signal } : {}) };
}

/** What is in use of a volume that is still where it was; all of it where that is not known. */
async function toCarry(step: CarryStep, context: StepContext): Promise<readonly ByteRange[]> {
  if (step.whole) return [{ start: 0, end: step.from.length }];
  return (await context.open(context.window(step.from))).allocation();
}

/** What goes to another disk or comes from one, listed before the first piece, and how many went before an interruption. */
async function listed(
  step: CarryStep,
  context: StepContext,
): Promise<{ readonly begun: number; readonly ranges: readonly ByteRange[] }> {
  const { journal } = context.ports;
  const begun = begunPieces(context);
  if (begun !== undefined) return { begun, ranges: (await readCarried(journal, context.index)).ranges };
  const ranges = await toCarry(step, context);
  await listCarried(journal, context.index, ranges);
  return { begun: 0, ranges };
}

/** Nothing of the target is live, so that any length of a piece is safe; as if it were moved by its own length. */
const freely = (length: number): Iterable<ByteRange> => windowsOf(length, 0, length);

/** What comes to free places becomes durable together where it may be references; what is copied bounds that. */
const togetherOn = (device: BlockDevice): Together => ({
  pieces: device.refers ? MOST_AT_ONCE : 1,
  flush: () => device.flush(),
});

/**
 * How many pieces may wait for one barrier: what they come from is then still whole after a cut as long as they span no
 * more than the way they go. Where bytes are copied one by one each piece has its own, so that a cut repeats little.
 */
function piecesAtOnce({ from, to }: CarryStep, disk: BlockDevice): number {
  if (!disk.refers) return 1;
  const pieces = Math.floor(Math.abs(to.start - from.start) / windowOf(from.start, to.start));
  return Math.min(MOST_AT_ONCE, pieces);
}

async function move(step: CarryStep, context: StepContext): Promise<void> {
  const { from, to } = step;
  const { journal, disk, signal } = context.ports;
  const begun = begunPieces(context);
  const ranges =
    begun === undefined ? await toCarry(step, context) : (await readCarried(journal, context.index)).ranges;
  if (begun === undefined) {
    if (overlapsItself(step)) await assertReadable(disk, signal, context.index, from.start, ranges);
    await listCarried(journal, context.index, ranges);
  }
  const windows = windowsOf(from.start, to.start, to.length);
  const act: CarryPiece = async (parts) => {
    for (const { start, end } of parts) await disk.copy(from.start + start, to.start + start, end - start);
    // Several wait for one barrier only where they are references.
    return { copied: 0 };
  };
  const together = { pieces: piecesAtOnce(step, disk), flush: () => disk.flush() };
  await inPieces(portsOf(context), context.index, windows, ranges, begun ?? 0, act, together);
  await arrive(step, context, ranges);
}

/**
 * The volume is made smaller over its old place, in memory and by reference, and only what comes of it is carried. Its
 * old place is not written before all is in the new one, so that after a cut the same comes of it again.
 */
async function moveSmaller(step: CarryStep, context: StepContext): Promise<void> {
  const { journal } = context.ports;
  const { length } = step.to;
  const overlay = await OverlayDevice.open(context.window(step.from));
  const volume = await context.open(overlay);
  await applyNow(overlay, 0, await volume.allocation(), (tx) => volume.shrink(length, tx, context.state));
  const ranges = await (await context.open(new WindowDevice(overlay, 0, length))).allocation();
  const begun = begunPieces(context);
  if (begun === undefined) await listCarried(journal, context.index, ranges);
  await carryFreely(context, { device: overlay, start: 0 }, endOf(step, context), length, ranges, begun ?? 0);
  await arrive(step, context, ranges);
}

const endOf = ({ to }: CarryStep, context: StepContext): CarryEnd => ({ device: context.disk(to), start: to.start });

async function carryFreely(
  context: StepContext,
  source: CarryEnd,
  target: CarryEnd,
  length: number,
  ranges: readonly ByteRange[],
  begun: number,
): Promise<void> {
  const act: CarryPiece = async (parts) => ({ copied: await copyParts(source, target, parts) });
  await inPieces(portsOf(context), context.index, freely(length), ranges, begun, act, togetherOn(target.device));
}

/**
 * What is copied is only read, and stays as it is, so that after a cut the same comes of it again. A disk that fails is
 * read as far as it goes. A copy that is made smaller is made so in an overlay over its original, by reference.
 */
async function copy(step: CarryStep, context: StepContext): Promise<void> {
  const { from, to, whole } = step;
  const { journal } = context.ports;
  let unread = 0;
  const salvaged = new SalvageDevice(context.disk(from), (_, length) => (unread += length));
  const original = new WindowDevice(salvaged, from.start, from.length);
  const source = { device: await copiedFrom(original, step, context), start: 0 };
  const ranges = whole
    ? [{ start: 0, end: to.length }]
    : await (await context.open(new WindowDevice(source.device, 0, to.length))).allocation();
  const begun = begunPieces(context);
  if (begun === undefined) await listCarried(journal, context.index, ranges);
  const target = endOf(step, context);
  const act: CarryPiece = async (parts, piece) => {
    unread = 0;
    const copied = await copyParts(source, target, parts);
    // Gone through again, less of it may be lost than was told.
    if (unread > 0 || begun !== undefined)
      await journal.append({ kind: 'lost', step: context.index, piece, bytes: unread });
    return { copied };
  };
  const together = togetherOn(target.device);
  await inPieces(portsOf(context), context.index, freely(to.length), ranges, begun ?? 0, act, together);
  await arrive(step, context, ranges);
}

/** The original as it is copied: over it, where the copy is to be smaller. */
async function copiedFrom(original: BlockDevice, { from, to }: CarryStep, context: StepContext): Promise<BlockDevice> {
  if (to.length === from.length) return original;
  const overlay = await OverlayDevice.open(original);
  const volume = await context.open(overlay);
  await applyNow(overlay, 0, await volume.allocation(), (tx) => volume.shrink(to.length, tx, context.state));
  return overlay;
}

async function carryAway(step: CarryStep, context: StepContext): Promise<void> {
  const { from, to, other } = step;
  const { disk, hasher } = context.ports;
  const [source, target] = [{ device: disk, start: from.start }, endOf(step, context)];
  const { begun, ranges } = await listed(step, context);
  const act: CarryPiece = async (parts) => ({
    copied: await copyParts(source, target, parts),
    seal: await sealArrived(source, target, parts, other!, hasher),
  });
  const together = togetherOn(target.device);
  await inPieces(portsOf(context), context.index, freely(to.length), ranges, begun, act, together);
  const tx = context.tableTransaction();
  await context.writeTable(tx, step.table);
  await context.commit(tx);
}

/** A volume that was made there is only read, and stays whole until it is compared here: a cut begins where it was. */
async function carryMade(step: CarryStep, context: StepContext): Promise<void> {
  const { from, to } = step;
  const source = { device: context.disk(from), start: from.start };
  const { begun, ranges } = await listed(step, context);
  await carryFreely(context, source, endOf(step, context), to.length, ranges, begun);
  await arrive(step, context, ranges);
}

async function carryBack(step: CarryStep, context: StepContext): Promise<void> {
  const { from, number, other } = step;
  const { journal, hasher } = context.ports;
  const source = { device: context.disk(from), start: from.start };
  const target = endOf(step, context);
  const away = context.state.plan.steps.findLastIndex(
    (s, i) => i < context.index && s.kind === 'carry' && s.number === number && wayOf(s) === 'away',
  );
  const { ranges, seals } = await readCarried(journal, away);
  const begun = begunPieces(context) ?? 0;
  const act: CarryPiece = async (parts, piece) => {
    await assertSealed(source, parts, seals.get(piece), other!, hasher);
    return { copied: await copyParts(source, target, parts) };
  };
  const together = togetherOn(target.device);
  await inPieces(portsOf(context), context.index, freely(from.length), ranges, begun, act, together);
  await arrive(step, context, ranges);
}

/** What refers to where a volume starts, and the table, follow in one go. */
async function arrive(step: CarryStep, context: StepContext, ranges: readonly ByteRange[]): Promise<void> {
  const { whole, table, to } = step;
  const tx = context.transaction(to, ranges);
  if (!whole) {
    const volume = await context.open(context.window(to));
    await volume.rebase(to.start / context.ports.disk.sectorSize, tx);
  }
  await context.writeTable(tx, table, to.start);
  await context.commit(tx);
}

export const empty: StepRunner<EmptyStep> = async ({ place }, context) => {
  const disk = context.disk(place);
  const away = context.state.plan.steps.findLastIndex(
    (s, i) => i < context.index && s.kind === 'carry' && s.to.disk === place.disk && s.to.start === place.start,
  );
  // Of a volume that was made there anything may have been written.
  const { ranges } =
    away < 0 ? { ranges: [{ start: 0, end: place.length }] } : await readCarried(context.ports.journal, away);
  for (const { start, end } of ranges) await disk.discard(place.start + start, end - start);
  await disk.flush();
  return context.markDone();
};
