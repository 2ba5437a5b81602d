/** A way back is taken only on the disk that it is of. */
import { surveyDisk } from '@/core/inspect';
import { describe, expect, it } from 'vitest';
import { assertRewindable, readRunState, readUndo, resumeRun, rewindDisks, UndoKeeper, type UndoRecord } from '.';
import { NOW, planFor } from './fixtures/sticks';
import { clone, two, DIVIDE, stopped, refuses } from './fixtures/two-disks';

describe('a way back', () => {
  async function kept(steps: number) {
    const start = await two('x');
    const disk = clone(start);
    const { plan } = await planFor(disk, DIVIDE);
    const { journal, undo } = await stopped(disk, plan, steps);
    return { start, disk, journal, undo, state: (await readUndo(undo))!, run: (await readRunState(journal))!.run };
  }

  it.each([3, 5])('is not taken on another disk of the same size, after step %i', async (steps) => {
    const { start, disk, undo, state, run } = await kept(steps);
    const other = await two('y');
    await refuses(other, () => assertRewindable(new Map([['here', other]]), undo, state, run), 'journal.foreign');
    // Nor without the journal that says how far the run was.
    await refuses(disk, () => assertRewindable(new Map([['here', disk]]), undo, state, undefined), 'journal.foreign');
    await assertRewindable(new Map([['here', disk]]), undo, state, run);
    await rewindDisks(new Map([['here', disk]]), undo);
    expect(Buffer.compare(disk.buffer, start.buffer)).toBe(0);
  });

  it('is not taken where one of its stretches is said to be another', async () => {
    const { undo } = await kept(4);
    const records: { record: UndoRecord; body: Uint8Array }[] = [];
    for await (const entry of undo.entries()) records.push(entry);
    const places = records.flatMap(({ record }) => (record.kind === 'kept' ? [record.offset] : []));
    expect(places.length).toBeGreaterThan(1);
    for (const [at, { record, body }] of records.entries()) {
      if (record.kind !== 'kept') continue;
      for (const offset of places.filter((place) => place !== record.offset)) {
        const entries = async function* () {
          yield* records.slice(0, at);
          yield { record: { ...record, offset }, body };
          yield* records.slice(at + 1);
        };
        await expect(readUndo({ entries })).rejects.toMatchObject({ code: 'journal.corrupt' });
      }
    }
  });

  it.each([0, 3, 8])('is not taken where it has %i bytes of checksums for its stretches', async (length) => {
    const { undo, state } = await kept(4);
    expect(state.kept.length * 4).toBe(8);
    await undo.append({ kind: 'left' }, new Uint8Array(length));
    if (length === 8) expect((await readUndo(undo))?.left).toHaveLength(2);
    else await expect(readUndo(undo)).rejects.toMatchObject({ code: 'journal.corrupt' });
  });

  it('is not taken where somebody has changed the disk since the run was over', async () => {
    const { disk, journal, undo } = await kept(3);
    const keeper = await UndoKeeper.open(undo, (await readRunState(journal))!.run);
    expect((await resumeRun({ disk: keeper.over(disk), journal, now: NOW })).proven).toBe(true);
    await keeper.noteLeft();
    const state = (await readUndo(undo))!;
    await assertRewindable(new Map([['here', disk]]), undo, state, undefined);
    const changed = clone(disk);
    changed.buffer[state.kept.at(-1)!.offset + 7]! ^= 1;
    await refuses(changed, () => assertRewindable(new Map([['here', changed]]), undo, state, undefined), 'run.changed');
  });

  it('is gone through again from the start when the power went in the middle of it', async () => {
    const { start, disk, undo, state, run } = await kept(4);
    await assertRewindable(new Map([['here', disk]]), undo, state, run);
    for (let n = 0; n < 3; n++) {
      const write = disk.write.bind(disk);
      let left = n % 2;
      disk.write = async (offset, from) => {
        if (left-- <= 0) throw new Error('cut');
        return write(offset, from);
      };
      await expect(rewindDisks(new Map([['here', disk]]), undo)).rejects.toThrow('cut');
      disk.write = write;
      const again = (await readUndo(undo))!;
      expect(again.rewinding).toBe(true);
      await expect(UndoKeeper.open(undo, run)).rejects.toMatchObject({ code: 'run.rewinding' });
      await assertRewindable(new Map([['here', disk]]), undo, again, undefined);
    }
    await rewindDisks(new Map([['here', disk]]), undo);
    expect(Buffer.compare(disk.buffer, start.buffer)).toBe(0);
    expect((await surveyDisk(disk)).volumes).toHaveLength(2);
  });
});
