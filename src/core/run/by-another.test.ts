/** Folders that fit into no rounds on their disk, and go to their own volume by way of another. */
import { isAll } from '@/core/bytes/fixtures/filled';
import type { MemoryDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { rounds } from '@/core/fixtures/rounds';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { changesBetween } from '@/core/layout';
import { freeThen } from '@/core/report';
import type { Scratch } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { blankOther, surviveCuts } from './fixtures/cuts';
import { hashes, kindsOf, planned, target } from './fixtures/own-volume';
import { buildStick } from './fixtures/sticks';

const MIB = 1024 * 1024;

/** Room on another disk. */
const LENT: Scratch = { disk: 'lender', name: 'Other stick', start: 2 * MIB, length: 60 * MIB, sectorSize: 512 };

/** A disk whose one volume is nearly full, most of it one file. */
function oneLargeFile(fileSystem: string, table: 'gpt' | 'mbr'): Promise<MemoryDevice> {
  const fill = [
    { folder: 'Trees', count: 1, name: 'whole.bin', smallest: '38 MiB', largest: '38 MiB', fragments: 3 },
    { folder: 'Few', count: 9, name: '{n}.bin', smallest: '9 KiB', largest: '190 KiB', near: 0.9 },
    { folder: 'Stays', count: 4, name: '{n}.txt', smallest: '1 KiB', largest: '90 KiB' },
  ];
  return buildStick({ table, size: '66 MiB', volumes: [{ size: 'rest', fileSystem, label: 'OLD', fill }] as never });
}

describe('folders of which one file is more than can be given', () => {
  it('are refused with what would help', async () => {
    const disk = await oneLargeFile('ntfs', 'gpt');
    const before = disk.buffer.slice();
    await expect(planned(disk, target('14 MiB', 'ntfs', ['Trees']))).rejects.toThrow(
      /Trees\/whole.bin takes up to .* can be given at a time. .* unallocated in one piece on another disk would do/,
    );
    expect(Buffer.compare(before, disk.buffer)).toBe(0);
  });

  it.each([
    ['ntfs', 'ntfs', 'gpt', 60],
    ['exfat', 'ntfs', 'mbr', 45],
    ['ext4', 'ext4', 'gpt', 60],
    ['fat16', 'exfat', 'gpt', 47],
  ] as const)(
    'go by way of another disk, from %s to %s on %s with %s MiB lent, whatever is cut',
    async (from, to, table, lent) => {
      const disk = await oneLargeFile(from, table);
      const room = { ...LENT, length: lent * MIB };
      const { plan, survey, layout } = await planned(disk, target('14 MiB', to, ['Trees', 'Few']), { scratch: [room] });
      const before = await hashes(disk, survey.volumes[0]!);
      const changing = kindsOf(plan).filter((k) => !['check', 'prove', 'table'].includes(k));
      const grown = lent < 50 ? ['grow'] : [];
      const [transfers, compares, clears] = ['transfer', 'compare', 'clear'].map((kind) => [kind, kind]);
      expect(changing).toEqual([
        ...['make', ...transfers!, ...compares!, ...clears!, 'shrink', 'carry', ...compares!, 'empty', ...grown],
      ]);
      expect(plan.lent).toMatchObject([{ disk: 'lender', name: 'Other stick', start: 2 * MIB }]);
      expect(plan.hazards.map((h) => h.message).join()).toMatch(/While TREES is on Other stick/);
      const rows = changesBetween(layoutOf(survey), layout).volumes;
      const free = rows.map((row) => freeThen(survey, plan, row.is!));
      const other = blankOther({ key: LENT.disk, size: 64 * MIB });
      const after = await surviveCuts(plan, disk, seededRandom(41), rounds(2, 10), new Map([[LENT.disk, other]]));
      const found = await surveyDisk(after);
      expect(found.findings).toEqual([]);
      expect(found.volumes.flatMap((v) => v.findings)).toEqual([]);
      const [old, own] = found.volumes;
      // But for what the volumes' own structures take.
      for (const [i, { length, info }] of found.volumes.entries())
        expect(Math.abs(info!.used + free[i]! - length)).toBeLessThan(8 * MIB);
      expect(own!.start + own!.length).toBe(survey.volumes[0]!.start + survey.volumes[0]!.length);
      const all = new Map([...(await hashes(after, old!)), ...(await hashes(after, own!))]);
      expect(all).toEqual(before);
      const [taken] = plan.lent;
      const [start, end] = [taken!.start, taken!.start + taken!.length];
      expect(isAll(0, other.buffer.subarray(start, end))).toBe(true);
      const untouched = blankOther({ key: LENT.disk, size: 64 * MIB }).buffer;
      expect(Buffer.compare(other.buffer.subarray(0, start), untouched.subarray(0, start))).toBe(0);
      expect(Buffer.compare(other.buffer.subarray(end), untouched.subarray(end))).toBe(0);
    },
  );

  it('need as much room there as they say, in sectors of the same size', async () => {
    const disk = await oneLargeFile('ntfs', 'gpt');
    const input = target('14 MiB', 'ntfs', ['Trees']);
    const refusal = await planned(disk, input).catch((error: unknown) => error);
    if (!isCoreError(refusal, 'plan.stuck')) throw refusal;
    const { needed } = refusal.facts;
    const room = (length: number, sectorSize = 512): Scratch => ({ ...LENT, length, sectorSize });
    await expect(planned(disk, input, { scratch: [room(needed - 1)] })).rejects.toThrow(/would do/);
    await expect(planned(disk, input, { scratch: [room(2 * needed, 4096)] })).rejects.toThrow(/would do/);
    const { plan } = await planned(disk, input, { scratch: [room(needed)] });
    const other = blankOther({ key: LENT.disk, size: 64 * MIB });
    const after = await surviveCuts(plan, disk, seededRandom(43), 1, new Map([[LENT.disk, other]]));
    expect((await surveyDisk(after)).volumes.map((v) => v.findings)).toEqual([[], []]);
  });
});
