import { MemoryDevice } from '@/core/device';
import { surveyDisk } from '@/core/inspect';
import { buildStick } from '@/core/run/fixtures/sticks';
import { describe, expect, it } from 'vitest';
import { scratchOn } from '.';

const MIB = 1024 * 1024;

describe('room on another disk', () => {
  it('is what no volume has, between aligned places', async () => {
    const volumes = [{ size: '10 MiB', fileSystem: 'fat12', label: 'A' }] as never;
    const survey = await surveyDisk(await buildStick({ size: '40 MiB', table: 'mbr', volumes }));
    const [room, ...more] = scratchOn(survey, 'd', 'Stick');
    expect(more).toEqual([]);
    expect(room).toMatchObject({ disk: 'd', name: 'Stick', start: 11 * MIB, sectorSize: 512 });
    expect(room!.start + room!.length).toBe(40 * MIB);
  });

  it('leaves the place of a table free on a disk without one', async () => {
    const survey = await surveyDisk(new MemoryDevice(new Uint8Array(4 * MIB)));
    expect(scratchOn(survey, 'd', 'Blank')).toMatchObject([{ start: MIB, length: 3 * MIB }]);
  });

  it('is none where the table is damaged', async () => {
    const volumes = [{ size: '10 MiB', fileSystem: 'fat12', label: 'A' }] as never;
    const disk = await buildStick({ size: '40 MiB', table: 'mbr', volumes });
    // A second entry that overlaps the first.
    disk.buffer.copyWithin(446 + 16, 446, 446 + 16);
    new DataView(disk.buffer.buffer).setUint32(446 + 16 + 8, 4096, true);
    const survey = await surveyDisk(disk);
    expect(survey.findings.some((f) => f.severity === 'error')).toBe(true);
    expect(scratchOn(survey, 'd', 'Damaged')).toEqual([]);
  });
});
