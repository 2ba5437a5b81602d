/** Putting back what was kept: compared with the disks before anything is touched. */
import { crc32 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { HERE, type DiskId } from '@/core/place';
import { hasSamples, SAMPLE, type DiskSamples } from './samples';
import { keyOf, readRecords, UNIT, type KeptPlace, type UndoState, type UndoStore } from './undo';

/** The disks of a way back: the one that was divided, and others that its run wrote too. */
export type RewoundDisks = ReadonlyMap<DiskId, BlockDevice>;

/**
 * Compares a way back with its disks, and reads only.
 * @param run the run that a journal beside the disk says is unfinished, if there is one
 * @param which whether disks that are not at hand are left out of account
 * @throws CoreError `journal.foreign` when it is not of these disks, `run.source` when one is not at hand, `run.changed`
 *   when somebody has changed one since
 */
export async function assertRewindable(
  disks: RewoundDisks,
  store: UndoStore,
  state: UndoState,
  run: string | undefined,
  which: 'all' | 'those at hand' = 'all',
): Promise<void> {
  const foreign = (reason: string): CoreError => new CoreError('journal.foreign', { reason });
  if (!('disk' in state.of)) throw foreign('it is of a run that made a new file');
  const all = [{ disk: HERE, samples: state.of.disk }, ...state.of.others];
  const missing = all.find(({ disk }) => !disks.has(disk));
  if (missing && which === 'all')
    throw new CoreError('run.source', { name: missing.disk, reason: 'it was written too, and is not at hand' });
  const here = all.filter(({ disk }) => disks.has(disk));
  for (const { disk, samples } of here) {
    const { size } = disks.get(disk)!;
    if (samples.size !== size) throw foreign(`it is for a disk of ${samples.size} bytes, this one has ${size}`);
  }
  if (!state.rewinding && !state.left && run !== state.run)
    throw foreign('the run it is of was not finished, and its journal is not there');
  const kept = new Set(state.kept.map(keyOf));
  for (const { disk: id, samples } of here) {
    const keptSums = await sampleKept(store, id, samples);
    const inKept = ({ start }: { start: number }): boolean =>
      kept.has(keyOf({ disk: id, offset: Math.floor(start / UNIT) * UNIT }));
    const back = samples.samples.every(([offset, sum]) => (keptSums.get(offset) ?? sum) === sum);
    if (!back || !(await hasSamples(disks.get(id)!, samples, inKept)))
      throw foreign(`putting it back would not give the disk it is of${id === HERE ? '' : `, which is ${id}`}`);
  }
  if (state.left && !state.rewinding) await assertAsLeft(disks, state.kept, state.left);
}

/** Samples of a disk as it was that lie in kept stretches, by offset. */
async function sampleKept(store: UndoStore, disk: DiskId, { samples }: DiskSamples): Promise<Map<number, number>> {
  const wanted = new Map<number, number[]>();
  for (const [offset] of samples) {
    const unit = Math.floor(offset / UNIT) * UNIT;
    wanted.set(unit, [...(wanted.get(unit) ?? []), offset]);
  }
  const out = new Map<number, number>();
  for await (const { record, body } of readRecords(store)) {
    if (record.kind !== 'kept' || (record.disk ?? HERE) !== disk) continue;
    for (const offset of wanted.get(record.offset) ?? []) {
      const at = offset - record.offset;
      if (!out.has(offset)) out.set(offset, crc32(body.subarray(at, at + SAMPLE)));
    }
  }
  return out;
}

async function assertAsLeft(disks: RewoundDisks, kept: readonly KeptPlace[], left: Uint32Array): Promise<void> {
  for (const [i, { disk: id, offset }] of kept.entries()) {
    const disk = disks.get(id);
    if (!disk || crc32(await disk.bytes(offset, Math.min(UNIT, disk.size - offset))) === left[i]) continue;
    const which = id === HERE ? 'the disk' : id;
    throw new CoreError('run.changed', { reason: `${which} was changed since the run, first at byte ${offset}` });
  }
}

/**
 * Puts everything back and returns how many bytes that were. An interrupted rewind is begun anew from the start. The store
 * is removed by the caller once this returns.
 */
export async function rewindDisks(disks: RewoundDisks, store: UndoStore): Promise<number> {
  await store.append({ kind: 'rewinding' });
  await store.flush();
  let bytes = 0;
  const done = new Set<string>();
  for await (const { record, body } of readRecords(store)) {
    if (record.kind !== 'kept') continue;
    const place = { disk: record.disk ?? HERE, offset: record.offset };
    // The first that was kept of a stretch is what it held; a failed write may have kept it once more.
    if (done.has(keyOf(place))) continue;
    done.add(keyOf(place));
    await disks.get(place.disk)!.write(place.offset, body);
    bytes += body.length;
  }
  for (const disk of disks.values()) await disk.flush();
  return bytes;
}
