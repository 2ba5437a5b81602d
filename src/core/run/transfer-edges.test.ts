/** Transfers from disks that fail, of names that can’t be, and those that are refused. */
import { MediumDevice, type MemoryDevice } from '@/core/device';
import { surveyDisk } from '@/core/inspect';
import { type TargetInput } from '@/core/job';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, startRun } from '.';
import { NOW } from './fixtures/sticks';
import { openAt, writeOn } from './fixtures/trees';
import { manifest, planned, twoVolumes } from './fixtures/two-volumes';

const both = (then: 'keep' | 'remove', folder = 'tree'): TargetInput => ({
  volumes: [{ keep: 1 }, { keep: 2, as: 'to' }],
  transfers: [{ from: { volume: 1 }, folder, to: 'to', under: 'deep/er/Tree', then }],
});

describe('files of another disk that fails', () => {
  it('are taken as far as they can be read, which is told before, and the proof names what they lost', async () => {
    const [source, disk] = [await twoVolumes('ntfs', 'fat16', 12, 3), await twoVolumes('exfat', 'ntfs', 3, 4)];
    const [from] = (await surveyDisk(source)).volumes;
    const old = await openAt(source, from!);
    const hurt: { path: string; start: number }[] = [];
    for await (const entry of old.walk()) {
      if (entry.kind !== 'file' || entry.stream !== undefined || !entry.path.startsWith('tree/')) continue;
      for await (const run of old.content(entry))
        if (run.kind === 'at' && hurt.length === 0) hurt.push({ path: entry.path, start: from!.start + run.offset });
    }
    const dead = hurt.map(({ start }) => ({ start, end: start + 512 }));
    const failing = new MediumDevice(source, { read: 1e9, write: 1e9, seek: 0, weak: [], dead });
    const target: TargetInput = {
      volumes: [{ keep: 1 }, { keep: 2, as: 'to' }],
      transfers: [{ from: { disk: 'Old stick', volume: 1 }, folder: 'tree', to: 'to', under: 'Taken' }],
    };
    const { plan } = await planned(disk, target, new Map([['Old stick', source]]), dead);
    expect(plan.hazards.map((h) => h.message)).toContainEqual(
      expect.stringMatching(/^Parts of Old stick can’t be read/),
    );
    const others = new Map([['Old stick', failing]]);
    const certificate = await startRun(plan, { disk, others, journal: new MemoryJournal(), now: NOW });
    expect(certificate).toMatchObject({ outcome: 'salvaged', proven: false });
    const lost = certificate.volumes.flatMap((v) => v.lost?.listed ?? []);
    expect(lost).toEqual([{ path: hurt[0]!.path.replace('tree/', 'Taken/'), bytes: 512 }]);
  });
});

describe('a transfer is refused, and nothing is changed,', () => {
  const disk = (): Promise<MemoryDevice> => twoVolumes('ntfs', 'fat16', 20, 1);
  const ask = async (
    change: Partial<NonNullable<TargetInput['transfers']>[number]>,
    more: Partial<TargetInput> = {},
  ) => {
    const input = both('keep');
    return planned(await disk(), { ...input, transfers: [{ ...input.transfers![0]!, ...change }], ...more });
  };

  it('where source and target are one volume, or no folder is there', async () => {
    await expect(ask({ from: { volume: 2 }, folder: '', under: 'x' })).rejects.toThrow(/both where/);
    await expect(ask({ folder: 'nowhere' })).rejects.toMatchObject({ code: 'fs.not-found' });
    await expect(ask({ folder: 'mine.txt' })).rejects.toMatchObject({ code: 'fs.not-found' });
    await expect(ask({ to: 'nobody' })).rejects.toMatchObject({ code: 'target.invalid' });
  });

  it('where two go to one place, or one is taken away and goes to two', async () => {
    const [one] = both('keep').transfers!;
    const twice = ask({}, { transfers: [one!, { ...one!, under: 'DEEP/er/tree' }] });
    await expect(twice).rejects.toThrow(/two folders go to/);
    const torn = ask(
      {},
      {
        transfers: [
          { ...one!, then: 'remove' },
          { ...one!, under: 'other' },
        ],
      },
    );
    await expect(torn).rejects.toThrow(/goes to two places/);
  });

  it('where it does not fit, and says how much would do', async () => {
    const image = await disk();
    const [from] = (await surveyDisk(image)).volumes;
    await writeOn(image, from!, (w) => w.writeFile('tree/large', { kind: 'procedural', seed: 1, size: 5_000_000 }));
    const input = {
      ...both('keep'),
      volumes: [{ keep: 1 }, { create: 'fat16', size: '4 MiB', as: 'to' }],
      remove: [2],
    };
    await expect(planned(image, input)).rejects.toThrow(/It would have to be .* larger/);
  });

  it('where the folder changes between plan and run', async () => {
    const image = await disk();
    const { plan, survey } = await planned(image, both('remove'));
    await writeOn(image, survey.volumes[0]!, (w) =>
      w.writeFile('tree/late', { kind: 'bytes', bytes: new Uint8Array(3) }),
    );
    const before = image.buffer.slice();
    const run = startRun(plan, { disk: image, journal: new MemoryJournal(), now: NOW });
    await expect(run).rejects.toMatchObject({ code: 'run.changed' });
    expect(Buffer.compare(image.buffer, before)).toBe(0);
  });
});

it('names that can’t be are changed, names that fall together are told apart, and nothing is written over', async () => {
  const disk = await twoVolumes('exfat', 'exfat', 1, 3);
  const [from, to] = (await surveyDisk(disk)).volumes;
  const text = (words: string) => ({ kind: 'bytes' as const, bytes: new TextEncoder().encode(words) });
  await writeOn(disk, from!, async (w) => {
    await w.mkdir('same');
    await w.writeFile('same/note.txt', text('new'));
    await w.writeFile('same/Ends with a dot.', text('dot'));
  });
  await writeOn(disk, to!, async (w) => {
    await w.mkdir('SAME');
    await w.writeFile('SAME/NOTE.TXT', text('old'));
  });
  const input = { ...both('keep', 'same'), transfers: [{ from: { volume: 1 }, folder: 'same', to: 'to' }] };
  const { plan } = await planned(disk, input);
  expect(plan.hazards.map((h) => h.message).join()).toMatch(/1 name can’t be the same/);
  expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  const paths = (await manifest(disk, to!)).map((e) => e.path).sort();
  expect(paths).toEqual(['SAME', 'SAME/Ends with a dot.', 'SAME/NOTE.TXT', 'mine.txt', 'SAME/note (2).txt'].sort());
});
