/** Transfers from disks that fail, of names that can’t be, and those that are refused. */
import { MediumDevice, type MemoryDevice } from '@/core/device';
import { surveyDisk } from '@/core/inspect';
import { type TargetInput } from '@/core/job';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, startRun } from '.';
import { rounds } from '@/core/fixtures/rounds';
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

it('streams of a folder that is gone into are told as left out, and the rest comes', async () => {
  const disk = await twoVolumes('ntfs', 'ntfs', 1, 3);
  const [from, to] = (await surveyDisk(disk)).volumes;
  const content = { kind: 'bytes' as const, bytes: new Uint8Array(9) };
  await writeOn(disk, from!, async (w) => {
    await w.mkdir('same', { attributes: [], streams: [{ name: 'view', content }] });
    await w.mkdir('same/new', { attributes: [], streams: [{ name: 'view', content }] });
    await w.writeFile('same/new/note.txt', content);
  });
  await writeOn(disk, to!, (w) => w.mkdir('same'));
  const input = { ...both('keep', 'same'), transfers: [{ from: { volume: 1 }, folder: 'same', to: 'to' }] };
  const { plan } = await planned(disk, input);
  expect(plan.hazards.map((h) => h.message).join()).toMatch(/1 named streams are left out/);
  expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  const paths = (await manifest(disk, to!)).map((e) => e.path).sort();
  expect(paths).toEqual(['mine.txt', 'same', 'same/new', 'same/new/note.txt', 'same/new:view']);
});

describe('what is more than can be counted is refused before the run', () => {
  const many = async (from: string, to: string, count: number, name: (i: number) => string, old = 0) => {
    const disk = await twoVolumes(from, to, 1, 3);
    const [source, target] = (await surveyDisk(disk)).volumes;
    const nothing = { kind: 'bytes' as const, bytes: new Uint8Array(0) };
    await writeOn(disk, source!, async (w) => {
      await w.mkdir('many');
      for (let i = 0; i < count; i++) await w.writeFile(`many/${name(i)}`, nothing);
    });
    await writeOn(disk, target!, async (w) => {
      for (let i = 0; i < old; i++) await w.writeFile(`old ${i}.txt`, nothing);
    });
    return disk;
  };
  const all: TargetInput['transfers'] = [{ from: { volume: 1 }, folder: '', to: 'to', under: '' }];

  it('files and folders on a volume that has so many inodes', async () => {
    const disk = await many('exfat', 'ext4', 2000, (i) => `${i}`);
    const { info } = (await surveyDisk(disk)).volumes[1]!;
    const taken = [{ from: { volume: 1 }, folder: 'many', to: 'to' }];
    expect(info!.entries!.free).toBeLessThan(2000);
    const wanted = planned(disk, { ...both('keep'), transfers: taken });
    await expect(wanted).rejects.toThrow(/2.001 files and folders go to TO, which has room for/);
    const made = (inodeRatio: number): TargetInput => ({
      volumes: [{ keep: 1 }, { create: 'ext4', size: 'rest', as: 'to', label: 'NEW', options: { inodeRatio } }],
      remove: [2],
      transfers: taken,
    });
    await expect(planned(disk, made(16384))).rejects.toThrow(/Choose fewer bytes for each inode/);
    const { plan } = await planned(disk, made(4096));
    expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  });

  it('names in the root of a FAT16 volume, which are as long as they are', async () => {
    const top = async (count: number, name: (i: number) => string, old: number) => {
      const disk = await twoVolumes('exfat', 'fat16', 1, 3);
      const [source, target] = (await surveyDisk(disk)).volumes;
      const nothing = { kind: 'bytes' as const, bytes: new Uint8Array(0) };
      await writeOn(disk, source!, async (w) => {
        for (let i = 0; i < count; i++) await w.writeFile(name(i), nothing);
      });
      await writeOn(disk, target!, async (w) => {
        for (let i = 0; i < old; i++) await w.writeFile(`OLD${i}.TXT`, nothing);
      });
      return planned(disk, { ...both('keep'), transfers: all });
    };
    // The root has 512 entries, of which a label, two texts and a tree take some.
    await expect(top(300, (i) => `a long name ${i}.txt`, 0)).rejects.toThrow(/the root on TO can’t have as many/);
    await expect(top(300, (i) => `IMG${i}.JPG`, 220)).rejects.toThrow(/the root on TO can’t have as many/);
    await top(300, (i) => `IMG${i}.JPG`, 150);
  });

  it('what several transfers bring to one folder, whose names are told apart', async () => {
    const two = async (count: number) => {
      const [disk, other] = [await twoVolumes('exfat', 'fat16', 0, 3), await twoVolumes('ntfs', 'ntfs', 0, 3)];
      for (const from of [disk, other])
        await writeOn(from, (await surveyDisk(from)).volumes[0]!, async (w) => {
          for (let i = 0; i < count; i++) await w.writeFile(`IMG${i}.JPG`, { kind: 'bytes', bytes: Uint8Array.of(i) });
        });
      const transfers = [...all, { ...all[0]!, from: { disk: 'Old stick', volume: 1 } }];
      const others = new Map([['Old stick', other]]);
      const { plan } = await planned(disk, { ...both('keep'), transfers }, others);
      expect((await startRun(plan, { disk, others, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
      return plan.hazards.map((h) => h.message).join();
    };
    expect(await two(90)).toMatch(/9\d names can’t be the same/);
    await expect(two(180)).rejects.toThrow(/the root on TO can’t have as many/);
  });
});

describe('what a plan says there is room for', () => {
  it.each(['fat16', 'exfat', 'ntfs', 'ext4'])('fits on %s, to the last cluster', async (to) => {
    for (let round = 0; round < rounds(1, 12); round++) {
      const disk = await twoVolumes(['ntfs', 'ext4', 'exfat'][round % 3]!, to, 30 + 40 * round, round);
      const place = (await surveyDisk(disk)).volumes[1]!;
      let [filler, accepted] = [0, disk.buffer.slice()];
      const accepts = async (): Promise<boolean> =>
        planned(disk, both('keep')).then(
          () => true,
          () => false,
        );
      // More and more is put there, as long as the plan says that there is room.
      for (let size = 4 * 2 ** 20; size >= 4096;) {
        const step = size;
        const before = disk.buffer.slice();
        const put = writeOn(disk, place, (w) =>
          w.writeFile(`filler ${filler}`, { kind: 'procedural', seed: filler, size: step }),
        );
        filler += 1;
        if (
          (await put.then(
            () => true,
            () => false,
          )) &&
          (await accepts())
        )
          accepted = disk.buffer.slice();
        else {
          disk.buffer.set(before);
          size /= 2;
        }
      }
      disk.buffer.set(accepted);
      const { plan } = await planned(disk, both('keep'));
      expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
    }
  });
});
