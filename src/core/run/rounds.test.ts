/** Folders that go to a volume of their own where there is not the room for both at once: in rounds. */
import type { MemoryDevice } from '@/core/device';
import { rounds } from '@/core/fixtures/rounds';
import { kindFacts } from '@/core/fs';
import { surveyDisk } from '@/core/inspect';
import type { TargetInput } from '@/core/job';
import type { Plan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import type { ManifestEntry } from '@/core/proof';
import { describe, expect, it } from 'vitest';
import { surviveCuts } from './fixtures/cuts';
import { FOLDERS, hashes, kindsOf, planned, target } from './fixtures/own-volume';
import { buildStick } from './fixtures/sticks';
import { writeOn } from './fixtures/trees';
import { manifest } from './fixtures/two-volumes';

const MIB = 1024 * 1024;

/** A disk whose one volume is nearly full of folders of about 7 MiB each. */
function fullDisk(fileSystem: string, table: 'gpt' | 'mbr', each = 14, parent = ''): Promise<MemoryDevice> {
  const fill = FOLDERS.map((folder, i) => {
    const sizes = { smallest: '300 KiB', largest: '900 KiB' };
    return {
      folder: `${parent}${folder}`,
      count: each,
      name: '{nn} {word}.bin',
      ...sizes,
      fragments: 2,
      near: i / FOLDERS.length,
    };
  });
  const rest = { folder: 'Stays', count: 4, name: '{n}.txt', smallest: '1 KiB', largest: '90 KiB' };
  const volumes = [{ size: 'rest', fileSystem, label: 'OLD', fill: [...fill, rest] }];
  return buildStick({ table, size: '66 MiB', volumes: volumes as never });
}

/** A full volume with one before it and one behind it. */
function betweenOthers(table: 'gpt' | 'mbr'): Promise<MemoryDevice> {
  const fill = FOLDERS.map((folder) => {
    return { folder, count: 10, name: '{nn} {word}.bin', smallest: '400 KiB', largest: '900 KiB', fragments: 2 };
  });
  const few = [{ folder: 'Few', count: 9, name: '{n}.bin', smallest: '9 KiB', largest: '190 KiB', near: 0.9 }];
  const volumes = [
    { size: '12 MiB', fileSystem: 'fat16', label: 'FIRST', fill: few },
    { size: '64 MiB', fileSystem: 'ntfs', label: 'OLD', fill },
    { size: '10 MiB', fileSystem: 'exfat', label: 'LAST', fill: few },
  ];
  return buildStick({ table, size: '96 MiB', volumes: volumes as never });
}

/** Its folders go, and the others get smaller and larger; one more comes behind. */
const besideOthers = (last: object): TargetInput => ({
  volumes: [
    { keep: 1, size: '9 MiB' },
    { keep: 2, size: '14 MiB', start: '13 MiB' },
    { create: 'ntfs', size: '44 MiB', label: 'TREES', as: 'own' },
    { create: 'fat12', size: '5 MiB', label: 'MORE' },
    { keep: 3, size: '16 MiB', ...last },
  ],
  transfers: FOLDERS.map((folder) => ({ from: { volume: 2 }, to: 'own', folder, then: 'remove' as const })),
});

const count = (plan: Plan, kind: string): number => kindsOf(plan).filter((k) => k === kind).length;

describe('folders to a volume of their own, with more in them than is free', () => {
  it.each([
    ['ntfs', 'ntfs', 'gpt'],
    ['exfat', 'ntfs', 'mbr'],
    ['ext4', 'ext4', 'gpt', 12],
    ['fat16', 'exfat', 'mbr'],
  ] as const)(
    'go in rounds from %s to %s on a %s disk, and survive the power going',
    async (from, to, table, each?: number) => {
      const disk = await fullDisk(from, table, each);
      const { plan, survey } = await planned(disk, target('14 MiB', to));
      const before = await hashes(disk, survey.volumes[0]!);
      expect(survey.volumes[0]!.limits!.floor.bytes).toBeGreaterThan(34 * MIB);
      expect(count(plan, 'carry')).toBeGreaterThan(0);
      expect(count(plan, 'shrink')).toBeGreaterThan(1);
      expect(count(plan, 'clear')).toBe(FOLDERS.length);
      expect(plan.loses.bytes).toBe(0);
      const after = await surviveCuts(plan, disk, seededRandom(17), rounds(2, 10));
      const found = await surveyDisk(after);
      expect(found.findings).toEqual([]);
      expect(found.volumes.flatMap((v) => v.findings)).toEqual([]);
      const [old, own] = found.volumes;
      expect(old!.length).toBe(14 * MIB);
      expect(own).toMatchObject({ info: { label: 'TREES', kind: to } });
      expect(own!.start + own!.length).toBe(survey.volumes[0]!.start + survey.volumes[0]!.length);
      const all = new Map([...(await hashes(after, old!)), ...(await hashes(after, own!))]);
      expect(all).toEqual(before);
      expect([...(await hashes(after, old!)).keys()].every((path) => path.startsWith('Stays/'))).toBe(true);
    },
  );

  it.each([
    ['logical volumes', 5, {}],
    ['one behind it that goes', 6, { goes: true }],
  ])('go in rounds on a master boot record with %s', async (_, count, { goes }: { goes?: boolean }) => {
    const small = (i: number): object => ({ size: '2 MiB', fileSystem: 'fat12', label: `S${i}` });
    const fill = FOLDERS.map((folder, i) => {
      const sizes = { smallest: '300 KiB', largest: '900 KiB', near: i / FOLDERS.length };
      return { folder, count: 12, name: '{nn} {word}.bin', ...sizes };
    });
    const old = { size: '58 MiB', fileSystem: 'ntfs', label: 'OLD', fill };
    const volumes = [...[1, 2, 3, 4].map(small), old, ...(goes ? [small(6)] : [])];
    expect(volumes).toHaveLength(count);
    const disk = await buildStick({ table: 'mbr', size: '80 MiB', volumes: volumes as never });
    const { plan } = await planned(disk, {
      volumes: [
        ...[1, 2, 3, 4, 5].map((keep) => (keep === 5 ? { keep, size: '14 MiB' } : { keep })),
        { create: 'ntfs', size: goes ? '44 MiB' : '42 MiB', label: 'TREES', as: 'own' },
      ],
      ...(goes ? { remove: [6] } : {}),
      transfers: FOLDERS.map((folder) => ({ from: { volume: 5 }, to: 'own', folder, then: 'remove' as const })),
    });
    expect(count).toBeGreaterThan(4);
    expect(kindsOf(plan)).toContain('carry');
    const after = await surveyDisk(await surviveCuts(plan, disk, seededRandom(23), 3));
    expect(after.findings).toEqual([]);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    expect(after.volumes.map((v) => v.info?.label)).toEqual(['S1', 'S2', 'S3', 'S4', 'OLD', 'TREES']);
    expect(after.volumes.at(-1)!.files).toBe(FOLDERS.length * 12);
  });

  it('to a volume that takes failing places out of use once it has all of its room', async () => {
    const disk = await fullDisk('ntfs', 'gpt');
    const weak = [{ start: 50 * MIB, end: 50 * MIB + 512 }];
    const options = { failing: { weak, dead: [] }, retireFailing: true };
    const { plan } = await planned(disk, target('14 MiB', 'ntfs'), options);
    const kinds = kindsOf(plan);
    expect(kinds.lastIndexOf('retire')).toBeGreaterThan(kinds.lastIndexOf('grow'));
    const after = await surveyDisk(await surviveCuts(plan, disk, seededRandom(37), 2));
    const bad = after.volumes.map((v) => v.findings.map((f) => f.code));
    expect(bad).toEqual([[], ['ntfs.bad-cluster']]);
  });

  it('go at once where there is room, as before', async () => {
    const { plan } = await planned(await fullDisk('ntfs', 'gpt', 2), target('24 MiB', 'ntfs'));
    expect(count(plan, 'carry')).toBe(0);
    expect(count(plan, 'shrink')).toBe(1);
  });

  it.each([
    ['ntfs', 'ntfs', 'Trees'],
    ['ext4', 'ext4', 'old/Woods'],
    ['exfat', 'fat16', 'Trees'],
    ['ntfs', 'exfat', 'old/Woods'],
  ] as const)('that are one in another go in parts from %s to %s, whatever is cut', async (from, to, under) => {
    const disk = await fullDisk(from, 'gpt', 12, 'Trees/');
    const survey = await surveyDisk(disk);
    const [old] = survey.volumes;
    await writeOn(disk, old!, async (writer) => {
      const times = { modified: '2020-02-03T04:05:06Z' };
      await writer.mkdir('Trees/Elm/Empty', { times, attributes: [] });
      await writer.mkdir('Trees/Elm.d', { times, attributes: [] });
      await writer.writeFile('Trees/Elm.d/leaf', { kind: 'bytes', bytes: new Uint8Array(70_000).fill(7) });
    });
    const before = await manifest(disk, old!);
    const input = target('14 MiB', to, ['Trees']);
    const [wish] = input.transfers!;
    const { plan } = await planned(disk, { ...input, transfers: [{ ...wish!, under }] });
    const clears = plan.steps.filter((s) => s.kind === 'clear');
    expect(clears.length).toBeGreaterThan(1);
    expect(clears.map((s) => s.part?.until === undefined)).toEqual(clears.map((_, i) => i === clears.length - 1));
    const transfers = plan.steps.filter((s) => s.kind === 'transfer');
    expect(transfers.reduce((sum, s) => sum + s.facts.files, 0)).toBe(FOLDERS.length * 12 + 1);
    const after = await surviveCuts(plan, disk, seededRandom(29), rounds(2, 10));
    const found = await surveyDisk(after);
    expect(found.volumes.flatMap((v) => v.findings)).toEqual([]);
    const [source, own] = found.volumes;
    expect((await manifest(after, source!)).some((e) => e.path.startsWith('Trees'))).toBe(false);
    const { holds } = kindFacts(to);
    const told = (entries: readonly ManifestEntry[], top: string) =>
      new Map(
        entries.flatMap(({ path, kind, sha256, times }) =>
          path.startsWith(top) ? [[path.slice(top.length), [kind, sha256, holds.storedTimes(times)]] as const] : [],
        ),
      );
    expect(told(await manifest(after, own!), `${under}/`)).toEqual(told(before, 'Trees/'));
  });

  it('leave a link where a folder was once the last part of it has gone', async () => {
    const disk = await fullDisk('ntfs', 'gpt', 14, 'Trees/');
    const input = target('14 MiB', 'ntfs', ['Trees']);
    const [wish] = input.transfers!;
    const volumes = input.volumes.map((v) => ('create' in v ? { ...v, letter: 'E' } : v));
    const { plan } = await planned(disk, { volumes, transfers: [{ ...wish!, leave: 'link' }] });
    expect(count(plan, 'clear')).toBeGreaterThan(1);
    const after = await surviveCuts(plan, disk, seededRandom(31), 2);
    const [old] = (await surveyDisk(after)).volumes;
    const all = await manifest(after, old!);
    expect(all.filter((e) => e.path.startsWith('Trees')).map((e) => [e.path, e.kind])).toEqual([['Trees', 'link']]);
  });

  it.each(['gpt', 'mbr'] as const)(
    'go in rounds on %s while others get smaller and larger where they are, and one more is made',
    async (table) => {
      const disk = await betweenOthers(table);
      const { plan, survey } = await planned(disk, besideOthers({ start: '77 MiB' }));
      const before = await Promise.all(survey.volumes.map((v) => hashes(disk, v)));
      expect(count(plan, 'carry')).toBeGreaterThan(0);
      expect(count(plan, 'shrink')).toBeGreaterThan(2);
      const after = await surviveCuts(plan, disk, seededRandom(18), rounds(2, 10));
      const found = await surveyDisk(after);
      expect(found.findings).toEqual([]);
      expect(found.volumes.flatMap((v) => v.findings)).toEqual([]);
      // A logical volume has its boot record before it.
      const own = table === 'mbr' ? 1 : 0;
      expect(found.volumes.map((v) => [v.info?.label, v.start / MIB, v.length / MIB])).toEqual([
        ['FIRST', 1, 9],
        ['OLD', 13, 14],
        ['TREES', 27 + own, 44 - own],
        ['MORE', 71 + own, 5 - own],
        ['LAST', 77, 16],
      ]);
      const now = await Promise.all(found.volumes.map((v) => hashes(after, v)));
      expect([now[0], new Map([...now[1]!, ...now[2]!]), now[4]]).toEqual(before);
    },
  );

  it('are refused while another volume changes its place', async () => {
    const disk = await betweenOthers('gpt');
    await expect(planned(disk, besideOthers({ start: '78 MiB' }))).rejects.toThrow(
      /no other volume can change its place/,
    );
  });

  it('are refused where what stays would not do with what was planned for it', async () => {
    const disk = await fullDisk('ntfs', 'gpt');
    await expect(planned(disk, target('14 MiB', 'ntfs', FOLDERS.slice(0, 3)))).rejects.toThrow(
      /would still have to be .* once all of it is gone/,
    );
  });
});
