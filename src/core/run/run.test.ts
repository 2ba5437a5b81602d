import { MemoryDevice, UnreliableDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { surveyDisk } from '@/core/inspect';
import type { TargetInput } from '@/core/job';
import { seededRandom, type RecipeInput } from '@/core/practice';
import { quickHasher } from '@/core/proof/fixtures/quick-hasher';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  assertRewindable,
  beginUndo,
  frameRecord,
  MemoryJournal,
  MemoryLog,
  readFrames,
  readRunState,
  readUndo,
  resumeRun,
  rewindDisks,
  startRun,
  UndoKeeper,
  type DiskSamples,
  type UndoRecord,
} from '.';
import { buildStick, NOW, planFor, SPLIT } from './fixtures/sticks';
import { traceRun } from './fixtures/trace';

/** One volume with a few files, some of them far out. */
const small = (fileSystem: string, size: string): Partial<RecipeInput> => ({
  ...{ size: '16 MiB', table: 'gpt' },
  volumes: [
    {
      ...{ fileSystem, label: 'SMALL', size },
      fill: [
        { folder: 'a/b', count: 9, name: 'f{n}.bin', smallest: '1 KiB', largest: '90 KiB', fragments: 3 },
        { folder: 'far', count: 7, name: 'g{n}.bin', smallest: '9 KiB', largest: '60 KiB', near: 0.95, fragments: 2 },
      ],
    },
  ],
});

const clone = (disk: MemoryDevice): MemoryDevice => new MemoryDevice(disk.buffer.slice(), disk.sectorSize);

describe('a run', () => {
  it('divides a stick, proves every file, and leaves volumes that are sound', async () => {
    const disk = await buildStick();
    const { plan } = await planFor(disk, SPLIT);
    expect(plan.steps.map((s) => s.kind)).toEqual(['check', 'shrink', 'table', 'make', 'relabel', 'prove']);
    const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    expect(certificate).toMatchObject({ proven: true, volumes: [{ files: 53, differing: 0 }] });
    const after = await surveyDisk(disk);
    expect(after.volumes.map((v) => [v.info?.label, v.length >> 20, v.findings])).toEqual([
      ['KEPT', 20, []],
      ['NEW', 25, []],
    ]);
  });

  it.each<[string, number, Partial<RecipeInput>, TargetInput]>([
    ['fat16', 20, {}, SPLIT],
    [
      'ext4, smaller',
      10,
      small('ext4', '14 MiB'),
      {
        volumes: [
          { keep: 1, size: '8 MiB' },
          { create: 'ext2', size: 'rest' },
        ],
      },
    ],
    ['ext4, larger', 10, small('ext4', '6 MiB'), { volumes: [{ keep: 1, size: '14 MiB', label: 'more' }] }],
  ])('gives the same bytes as an undisturbed run whenever the power goes: %s', async (_, least, recipe, target) => {
    const start = await buildStick(recipe);
    const { plan } = await planFor(start, target);
    const trace = await traceRun(plan, start);
    expect(trace.operations).toBeGreaterThan(least);
    for (let cut = 0; cut < trace.operations; cut++) {
      const random = seededRandom(cut + 1);
      const { disk, journal } = await trace.tear(cut, random);
      const ports = { journal, now: NOW, hasher: quickHasher };
      // The power goes a second time while resuming.
      const again = new UnreliableDevice(disk, { after: Math.floor(random() * 10), random });
      await resumeRun({ ...ports, disk: again }).catch((error: unknown) => expect(isCoreError(error)).toBe(true));
      journal.lose(0);
      const resumed = (await readRunState(journal))
        ? resumeRun({ ...ports, disk })
        : startRun(plan, { ...ports, disk });
      expect((await resumed).proven, `cut ${cut}`).toBe(true);
      expect(Buffer.compare(disk.buffer, trace.end.disk.buffer), `cut ${cut}`).toBe(0);
    }
  });

  it('ends with the power, and writes nothing afterwards', async () => {
    const start = await buildStick();
    const { plan } = await planFor(start, SPLIT);
    const { operations, end } = await traceRun(plan, start);
    for (let cut = 0; cut < operations; cut += 5) {
      const random = seededRandom(cut + 1);
      const disk = clone(start);
      const journal = new MemoryJournal();
      const flaky = new UnreliableDevice(disk, { after: cut, random });
      const run = startRun(plan, { disk: flaky, journal, now: NOW });
      await expect(run, `cut ${cut}`).rejects.toMatchObject({ code: 'device.power-cut' });
      journal.lose(Math.floor(random() * 3));
      expect((await resumeRun({ disk, journal, now: NOW })).proven, `cut ${cut}`).toBe(true);
      expect(Buffer.compare(disk.buffer, end.disk.buffer), `cut ${cut}`).toBe(0);
    }
  });

  it('stops safely when asked and goes on later', async () => {
    const start = await buildStick();
    const { plan } = await planFor(start, SPLIT);
    const undisturbed = clone(start);
    await startRun(plan, { disk: undisturbed, journal: new MemoryJournal(), now: NOW });
    for (let stopAfter = 0; stopAfter < 8; stopAfter++) {
      const disk = clone(start);
      const journal = new MemoryJournal();
      const abort = new AbortController();
      let reports = 0;
      const progress = (): void => {
        if (reports++ >= stopAfter * 12) abort.abort();
      };
      const first = startRun(plan, { disk, journal, now: NOW, signal: abort.signal, progress });
      await expect(first).rejects.toMatchObject({ code: 'run.stopped' });
      await expect(startRun(plan, { disk, journal, now: NOW })).rejects.toMatchObject({ code: 'run.unfinished' });
      expect((await resumeRun({ disk, journal, now: NOW })).proven).toBe(true);
      expect(Buffer.compare(disk.buffer, undisturbed.buffer)).toBe(0);
    }
  });

  it('refuses to go on where none was begun', async () => {
    const ports = { disk: await buildStick(), journal: new MemoryJournal(), now: NOW };
    await expect(resumeRun(ports)).rejects.toMatchObject({ code: 'run.nothing-to-resume' });
  });

  it('does not prove what changed behind its back', async () => {
    const disk = await buildStick();
    const { plan, survey } = await planFor(disk, SPLIT);
    const journal = new MemoryJournal();
    let spoiled = false;
    const last = plan.steps.length - 1;
    const at = survey.volumes[0]!.start + survey.volumes[0]!.allocation[0]!.end - 40_000;
    const progress = ({ step }: { step: number }): void => {
      if (step !== last || spoiled) return;
      spoiled = true;
      for (let i = 0; i < disk.buffer.length; i += 4096)
        if (i > at && i < at + 5_000_000) disk.buffer[i] = disk.buffer[i]! ^ 1;
    };
    const certificate = await startRun(plan, { disk, journal, now: NOW, progress });
    expect(certificate.proven).toBe(false);
    expect(certificate.volumes[0]!.differences.some((d) => d.what === 'content')).toBe(true);
  });
});

describe('a run on NTFS', () => {
  it('gives the same bytes as an undisturbed run whenever the power goes', async () => {
    const fill = [
      { folder: 'near', count: 20, name: 'n{nn}.bin', smallest: '1 KiB', largest: '200 KiB', fragments: 5 },
      { folder: 'far', count: 20, name: 'f{nn}.bin', smallest: '1 KiB', largest: '300 KiB', near: 0.7, fragments: 5 },
    ];
    const start = await buildStick({ size: '40 MiB', volumes: [{ fileSystem: 'ntfs', label: 'SYS', fill }] });
    const { plan } = await planFor(start, {
      volumes: [
        { keep: 1, size: '16 MiB', label: 'kept' },
        { create: 'ntfs', size: 'rest', label: 'new' },
      ],
    });
    const { certificate, end, operations, tear } = await traceRun(plan, start);
    expect(certificate).toMatchObject({ proven: true, volumes: [{ files: 40 }] });
    const after = await surveyDisk(end.disk);
    expect(after.volumes.map((v) => [v.info?.label, v.findings])).toEqual([
      ['kept', []],
      ['new', []],
    ]);
    for (let cut = 1; cut < operations; cut += 3) {
      const { disk, journal } = await tear(cut, seededRandom(cut));
      const resumed = await resumeRun({ disk, journal, now: NOW, hasher: quickHasher });
      expect(resumed.proven, `cut ${cut}`).toBe(true);
      expect(Buffer.compare(disk.buffer, end.disk.buffer), `cut ${cut}`).toBe(0);
    }
  });
});

describe('rewinding', () => {
  it('puts back every byte, also after a run that was cut', async () => {
    const start = await buildStick();
    const { plan } = await planFor(start, SPLIT);
    for (const after of [Infinity, 5, 17, 30]) {
      const disk = clone(start);
      const store = new MemoryLog<UndoRecord>();
      const flaky = new UnreliableDevice(disk, { after, random: seededRandom(7) });
      const journal = new MemoryJournal();
      const begun = (samples: DiskSamples): Promise<void> => beginUndo(store, 'a run', samples);
      const run = startRun(
        plan,
        { disk: UndoKeeper.fresh(store).over(flaky), journal, now: NOW },
        { undo: true, begun },
      );
      if (after === Infinity) await run;
      else await expect(run).rejects.toThrow();
      if (after === Infinity) expect(Buffer.compare(disk.buffer, start.buffer)).not.toBe(0);
      await assertRewindable(
        new Map([['here', disk]]),
        store,
        (await readUndo(store))!,
        (await readRunState(journal))!.run,
      );
      await rewindDisks(new Map([['here', disk]]), store);
      expect(Buffer.compare(disk.buffer, start.buffer)).toBe(0);
    }
  });
});

describe('the framing of a log', () => {
  const log = (count: number): Uint8Array => {
    const frames = Array.from({ length: count }, (_, i) =>
      frameRecord(i, { kind: 'done', step: i }, new Uint8Array(i * 7).fill(i)),
    );
    return Buffer.concat(frames);
  };
  const readAll = async (bytes: Uint8Array): Promise<number[]> => {
    const steps: number[] = [];
    for await (const { record } of readFrames<{ step: number }>(async (o, n) => bytes.subarray(o, o + n), bytes.length))
      steps.push(record.step);
    return steps;
  };

  it('drops a torn tail wherever it is torn', async () => {
    const whole = log(5);
    for (let cut = 0; cut <= whole.length; cut++) {
      const steps = await readAll(whole.subarray(0, cut));
      expect(steps).toEqual([0, 1, 2, 3, 4].slice(0, steps.length));
    }
    expect(await readAll(whole)).toHaveLength(5);
  });

  it('refuses a damaged middle', async () => {
    const size = log(5).length;
    await fc.assert(
      fc.asyncProperty(fc.nat(log(4).length - 1), fc.integer({ min: 1, max: 255 }), async (at, flip) => {
        const bytes = new Uint8Array(log(5));
        bytes[at] = bytes[at]! ^ flip;
        await expect(readAll(bytes)).rejects.toMatchObject({ code: 'journal.corrupt' });
      }),
    );
    expect(size).toBeGreaterThan(100);
  });
});
