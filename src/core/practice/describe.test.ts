import { MediumDevice, SparseDevice } from '@/core/device';
import { surveyDisk } from '@/core/inspect';
import { compareTables, copyFault, parseTableCopy, tableCopy } from '@/core/job';
import { deriveRestore } from '@/core/plan';
import type { MbrDisk } from '@/core/table';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor } from '@/core/run/fixtures/sticks';
import { describe, expect, it } from 'vitest';
import { buildPracticeDisk, mediumOf, parseRecipe, recipeFrom, recipeSpeed, type Description } from '.';

const GUID = 'AAAAAAAA-BBBB-4CCC-8DDD-EEEEEEEEEEEE';
const GIB = 2 ** 30;
const MIB = 2 ** 20;

const CAFE: Description = {
  name: 'Café till',
  medium: 'hdd',
  size: '250 GB',
  table: 'mbr',
  volumes: [
    { size: '60 GiB', used: '22 GiB', fileSystem: 'ntfs', label: 'System', letter: 'C', role: 'system', active: true },
    { size: '20 GiB', used: '3 GiB', fileSystem: 'unknown', role: 'foreign' },
    { size: 'rest', used: '90 GiB', fileSystem: 'exfat', label: 'Bilder', letter: 'D' },
  ],
};

describe('a disk described by hand', () => {
  it('has the size, the table and the volumes that were said, filled about as far', async () => {
    const survey = await surveyDisk(await buildPracticeDisk(recipeFrom(CAFE, 'described-1')));
    expect(survey.size).toBe(250e9 - (250e9 % 512));
    expect(survey.table).toBe('mbr');
    expect(survey.volumes.map((v) => v.info?.kind)).toEqual(['ntfs', undefined, 'exfat']);
    const [system, , pictures] = survey.volumes;
    expect(system!.active).toBe(true);
    for (const [volume, used] of [
      [system, 22],
      [pictures, 90],
    ] as const) {
      expect(volume!.findings).toEqual([]);
      expect(volume!.info!.used / GIB / used).toBeGreaterThan(0.85);
      expect(volume!.info!.used / GIB / used).toBeLessThan(1.15);
    }
  });

  it.each<[string, Partial<Description>]>([
    ['no name', { name: ' ' }],
    ['a size that is none', { size: 'large' }],
    ['more in use than there is', { volumes: [{ size: '10 GiB', used: '12 GiB', fileSystem: 'ntfs' }] }],
  ])('with %s is refused with a reason', async (_name, change) => {
    const make = async (): Promise<unknown> => buildPracticeDisk(recipeFrom({ ...CAFE, ...change }, 'x'));
    await expect(make()).rejects.toMatchObject({ code: expect.stringMatching(/recipe|size|fs\.full/) as string });
  });
});

describe('the medium of a recipe', () => {
  const recipe = parseRecipe({
    version: 1,
    id: 'medium',
    name: 'medium',
    medium: 'ssd',
    size: '64 MiB',
    table: 'none',
    volumes: [],
    speed: { read: 100, write: 50, seek: 10 },
    weak: [{ at: '8 MiB', sectors: 8 }],
    dead: [{ at: '16 MiB', sectors: 8 }],
  });

  it('counts what reading, writing and going elsewhere would take', async () => {
    const disk = new MediumDevice(new SparseDevice(64 * MIB), mediumOf(recipe));
    await disk.read(0, new Uint8Array(1_000_000));
    expect(disk.seconds).toBeCloseTo(0.01, 5);
    await disk.write(4 * MIB, new Uint8Array(500_000));
    expect(disk.seconds).toBeCloseTo(0.01 + 0.01 + 0.01, 5);
    await disk.read(8 * MIB, new Uint8Array(512));
    expect(disk.seconds).toBeGreaterThan(2.5);
    expect(recipeSpeed(recipe)).toEqual({ read: 100e6, write: 50e6, seek: 0.01 });
  });

  it('is twice as fast at the start of a platter as at its end, and on average what is said', async () => {
    const disk = new MediumDevice(
      new SparseDevice(64 * MIB),
      mediumOf({ ...recipe, medium: 'hdd', weak: [], dead: [] }),
    );
    const took = async (at: number): Promise<number> => {
      await disk.verify(at, 512);
      const from = disk.seconds;
      await disk.verify(at + 512, 1_000_000);
      return disk.seconds - from;
    };
    const [first, middle, last] = [await took(0), await took(32 * MIB - 500_000), await took(63 * MIB)];
    expect(last / first).toBeGreaterThan(1.8);
    expect(middle).toBeCloseTo(0.01, 4);
  });

  it('fails where it is dead, whatever the content, and nowhere else', async () => {
    const disk = new MediumDevice(new SparseDevice(64 * MIB), mediumOf(recipe));
    await disk.place(15 * MIB, 4 * MIB, 7, 0);
    expect(disk.sources(15 * MIB, MIB)).toHaveLength(1);
    expect(disk.sources(15 * MIB, 2 * MIB)).toBeUndefined();
    await expect(disk.bytes(16 * MIB + 512, 512)).rejects.toMatchObject({ code: 'device.read-failed' });
    await expect(disk.copy(15 * MIB, 30 * MIB, 2 * MIB)).rejects.toMatchObject({ code: 'device.read-failed' });
    expect((await disk.bytes(16 * MIB + 8 * 512, 512)).length).toBe(512);
  });

  it('can be made to take as long as it says', async () => {
    const disk = new MediumDevice(new SparseDevice(64 * MIB), mediumOf(recipe));
    disk.pace = 1;
    const started = performance.now();
    await disk.read(0, new Uint8Array(8 * MIB));
    expect(performance.now() - started).toBeGreaterThan(70);
  });
});

describe('a copy of a table', () => {
  it('is compared, and put back after the table was changed', async () => {
    const disk = await buildStick();
    const before = await surveyDisk(disk);
    const copy = parseTableCopy(JSON.parse(JSON.stringify(tableCopy(before))));
    expect(compareTables(before, copy)).toEqual([]);
    expect(copyFault(before, copy)).toBeUndefined();
    const { plan } = await planFor(disk, { volumes: [{ create: 'fat12', size: '4 MiB', label: 'X' }], remove: [1] });
    const table = plan.steps.filter((s) => s.kind === 'table');
    await startRun({ ...plan, steps: table }, { disk, journal: new MemoryJournal(), now: NOW });
    const changed = await surveyDisk(disk);
    expect(compareTables(changed, copy).map((d) => d.what)).toEqual(['changed']);
    await startRun(deriveRestore(changed, copy.table), { disk, journal: new MemoryJournal(), now: NOW });
    expect(await surveyDisk(disk)).toEqual(before);
  });

  it('of another kind of disk, or of nothing, is refused', async () => {
    const survey = await surveyDisk(await buildStick());
    const copy = tableCopy(survey);
    const twice = [0, 1].map((slot) => ({ ...(survey.partitions as MbrDisk).primaries[0]!, slot }));
    expect(copyFault(survey, { ...copy, disk: { ...copy.disk, sectorSize: 4096 } })).toMatch(/4096/);
    expect(copyFault({ ...survey, size: 2 * MIB }, copy)).toMatch(/behind the end/);
    expect(copyFault(survey, { ...copy, table: { ...copy.table, primaries: twice } as typeof copy.table })).toMatch(
      /overlap/,
    );
    expect(() => parseTableCopy({ version: 2 })).toThrowError(expect.objectContaining({ code: 'document.invalid' }));
    const alone = { ebrLba: 9, active: false, type: 7, startLba: 5000, lengthSectors: 100 };
    const unchained = { kind: 'mbr' as const, diskSignature: 1, primaries: [], logicals: [alone] };
    expect(copyFault(survey, { ...copy, table: unchained })).toMatch(/chain/);
    const backwards = {
      slot: 0,
      typeGuid: GUID,
      guid: GUID,
      firstLba: 5000,
      lastLba: 4000,
      attributes: '0'.repeat(16),
      name: '',
    };
    const gpt = { kind: 'gpt' as const, diskGuid: GUID, entryCount: 128, entrySize: 128, entries: [backwards] };
    expect(copyFault(survey, { ...copy, table: gpt })).toMatch(/ends before/);
    const late = { ...backwards, lastLba: survey.size / 512 - 2 };
    expect(copyFault(survey, { ...copy, table: { ...gpt, entries: [late] } })).toMatch(/behind the end/);
    const blank = await surveyDisk(new SparseDevice(MIB));
    expect(() => tableCopy(blank)).toThrowError(/no table/);
  });
});
