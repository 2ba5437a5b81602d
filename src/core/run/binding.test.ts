/** A plan, a journal and a way back act on the disk they are of, in the state they say, and on no other. */
import { rounds } from '@/core/fixtures/rounds';
import { MemoryDevice } from '@/core/device';
import type { Plan } from '@/core/plan';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, readRunState, resumeRun, startRun } from '.';
import { buildStick, NOW, planFor, SPLIT } from './fixtures/sticks';
import { clone, two, DIVIDE, stopped, refuses } from './fixtures/two-disks';

describe('a plan', () => {
  it('does not run on a disk that has another volume where it sees none', async () => {
    const one = await buildStick({ size: '40 MiB', volumes: [{ size: '19 MiB', fileSystem: 'fat12', label: 'ONE' }] });
    const { plan } = await planFor(one, { volumes: [{ keep: 1 }, { create: 'fat12', label: 'N' }] });
    const disk = await two('x');
    await refuses(disk, () => startRun(plan, { disk, journal: new MemoryJournal(), now: NOW }), 'run.changed');
  });

  it.each<[string, (disk: MemoryDevice) => Promise<MemoryDevice>]>([
    ['other files in the same places', () => two('y')],
    ['a volume of another serial number', () => two('x', 'others')],
    [
      'a label that was changed since',
      async (disk) => {
        const copy = clone(disk);
        const { plan } = await planFor(copy, { volumes: [{ keep: 1, label: 'NEW' }, { keep: 2 }] });
        await startRun(plan, { disk: copy, journal: new MemoryJournal(), now: NOW });
        return copy;
      },
    ],
  ])('does not run on a disk with %s', async (_, other) => {
    const disk = await two('x');
    const { plan } = await planFor(disk, DIVIDE);
    const changed = await other(disk);
    await refuses(
      changed,
      () => startRun(plan, { disk: changed, journal: new MemoryJournal(), now: NOW }),
      'run.changed',
    );
    expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  });

  it('that would write what is somebody’s is not begun, whoever made it', async () => {
    const disk = await two('x');
    const { plan } = await planFor(disk, DIVIDE);
    const shrink = plan.steps.find((s) => s.kind === 'shrink')!;
    const wrong = { ...plan, steps: [{ ...shrink, kind: 'make' as const, fileSystem: 'fat12' }] } as unknown as Plan;
    const before = disk.buffer.slice();
    await expect(startRun(wrong, { disk, journal: new MemoryJournal(), now: NOW })).rejects.toThrow(RangeError);
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });
});

describe('a journal', () => {
  it.each([1, 2, 3, 4])(
    'laid beside another disk of the same size is not acted on, stopped after step %i',
    async (steps) => {
      const disk = await two('x');
      const { plan } = await planFor(disk, DIVIDE);
      const { journal } = await stopped(disk, plan, steps);
      const other = await two('y');
      await refuses(other, () => resumeRun({ disk: other, journal, now: NOW }), 'journal.foreign');
      const larger = await buildStick({ size: '44 MiB' });
      await refuses(larger, () => resumeRun({ disk: larger, journal, now: NOW }), 'journal.foreign');
      expect((await resumeRun({ disk, journal, now: NOW })).proven).toBe(true);
    },
  );

  it('does not go on where somebody has changed a volume that it had not come to', async () => {
    const disk = await two('x');
    const { plan, survey } = await planFor(disk, DIVIDE);
    const { journal } = await stopped(disk, plan, 3);
    const [, second] = survey.volumes;
    const { start, end } = second!.allocation[0]!;
    const at = second!.start + start;
    for (let i = at; i < second!.start + end; i += 4096) disk.buffer[i] = disk.buffer[i]! ^ 0xff;
    await refuses(disk, () => resumeRun({ disk, journal, now: NOW }), 'journal.foreign');
  });

  it('does not go on under another table', async () => {
    const disk = await two('x');
    const { plan } = await planFor(disk, { volumes: [{ keep: 1, size: '10 MiB' }, { gap: '1 MiB' }, { keep: 2 }] });
    const moved = clone(disk);
    const { journal } = await stopped(disk, plan, 3);
    const { plan: other } = await planFor(moved, { volumes: [{ keep: 1 }], remove: [2] });
    await startRun(other, { disk: moved, journal: new MemoryJournal(), now: NOW });
    await refuses(moved, () => resumeRun({ disk: moved, journal, now: NOW }), 'journal.foreign');
  });

  it('measures a copy by what it is a copy of', async () => {
    const original = await two('x');
    const disk = clone(original);
    const { plan, survey } = await planFor(disk, DIVIDE);
    const { start, allocation } = survey.volumes[1]!;
    // The copy went wrong in the last file of the second volume.
    const at = start + allocation.at(-1)!.end - 3000;
    disk.buffer[at] = disk.buffer[at]! ^ 1;
    const certificate = await startRun(plan, { disk, original, journal: new MemoryJournal(), now: NOW });
    expect(certificate).toMatchObject({ proven: false, volumes: [{ differing: 0 }, { differing: 1 }] });
  });

  it('says where it is damaged, whatever is in it, and changes nothing', async () => {
    const start = await buildStick();
    const { plan } = await planFor(start, SPLIT);
    const disk = clone(start);
    const { journal } = await stopped(disk, plan, 3);
    const records: { record: unknown; body: Uint8Array }[] = [];
    for await (const entry of journal.entries()) records.push(entry);
    const anything = fc.oneof(fc.anything(), fc.record({ kind: fc.constantFrom('begin', 'redo', 'done', 'carried') }));
    const change = fc.tuple(fc.nat(records.length - 1), fc.constantFrom('replace', 'drop', 'twice'), anything);
    const before = disk.buffer.slice();
    let refused = 0;
    await fc.assert(
      fc.asyncProperty(change, async ([at, how, value]) => {
        const list = [...records];
        if (how === 'replace') list[at] = { record: value, body: list[at]!.body };
        else list.splice(at, how === 'drop' ? 1 : 0, ...(how === 'twice' ? [list[at]!] : []));
        const entries = async function* () {
          yield* list;
        };
        try {
          await readRunState({ entries });
        } catch (error) {
          refused += 1;
          expect(error).toMatchObject({ code: expect.stringMatching(/^journal\.(corrupt|version)$/) });
        }
      }),
      { numRuns: rounds(300, 3000) },
    );
    expect(refused).toBeGreaterThan(100);
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });

  it('writes nothing that is not its step’s, though it says so', async () => {
    const disk = await two('x');
    const { plan, survey } = await planFor(disk, DIVIDE);
    const { journal } = await stopped(disk, plan, 2);
    const { next } = (await readRunState(journal))!;
    const second = survey.volumes[1]!;
    await journal.append({ kind: 'redo', step: next, part: 0, extents: [[second.start, 512]] }, new Uint8Array(512));
    await journal.append({ kind: 'commit', step: next, parts: 1 });
    await refuses(disk, () => resumeRun({ disk, journal, now: NOW }), 'journal.corrupt');
  });

  it('carries nothing that is not in both of the volume’s places, though it says so', async () => {
    const disk = await two('x');
    const { plan } = await planFor(disk, { volumes: [{ gap: '1 MiB' }, { keep: 1 }, { keep: 2, size: 'rest' }] });
    const step = plan.steps.findIndex((s) => s.kind === 'carry');
    const { journal } = await stopped(disk, plan, step);
    const bytes = disk.size;
    for (const range of [
      [bytes - 512, bytes],
      [8192, 4096],
      [2 ** 32, 512],
    ] as [number, number][]) {
      const entries = async function* () {
        yield* journal.entries();
        yield { record: { kind: 'carry', step, part: 0, ranges: [range] } as const, body: new Uint8Array() };
      };
      await expect(readRunState({ entries })).rejects.toMatchObject({ code: 'journal.corrupt' });
    }
  });

  it('of another version is named as such', async () => {
    const entries = async function* () {
      yield { record: { kind: 'begin', version: 1, plan: {} }, body: new Uint8Array() };
    };
    await expect(readRunState({ entries })).rejects.toMatchObject({ code: 'journal.version' });
  });
});
