import { describe, expect, it } from 'vitest';
import {
  addWipe,
  asVolumeId,
  putBack,
  removeWipe,
  wipeDisk,
  type Edited,
  type LaidVolume,
  type Layout,
  type WipeWish,
} from '.';

const MIB = 2 ** 20;
const NO_BOUNDS = new Map();

const volume = (n: number, start: number, length: number, more: Partial<LaidVolume> = {}): LaidVolume => ({
  id: asVolumeId(`kept-${n}`),
  origin: { kind: 'kept', number: n },
  start,
  length,
  fileSystem: 'fat16',
  label: `V${n}`,
  role: 'data',
  active: false,
  type: 6,
  logical: false,
  flags: [],
  guarded: false,
  ...more,
});

const disk = (more: Partial<Layout>, ...volumes: LaidVolume[]): Layout => ({
  diskSize: 200 * MIB,
  sectorSize: 512,
  table: 'mbr',
  volumes,
  ...more,
});

function made(edited: Edited): Layout {
  if (!edited.ok) throw new Error(edited.reason);
  return edited.layout;
}

const reasonOf = (edited: Edited): string | undefined => (edited.ok ? undefined : edited.reason);

describe('a volume that was found', () => {
  const beside = volume(1, 100 * MIB, 50 * MIB);

  it('is put back at its place, in order, and once', () => {
    const found = volume(2, 63 * 512, 20 * MIB);
    const layout = made(putBack(disk({}, beside), NO_BOUNDS, found));
    expect(layout.volumes.map((v) => [v.id, v.start, v.length])).toEqual([
      ['kept-2', 63 * 512, 20 * MIB],
      ['kept-1', 100 * MIB, 50 * MIB],
    ]);
    expect(reasonOf(putBack(layout, NO_BOUNDS, found))).toMatch(/already/);
  });

  it('is refused over another, and without a table', () => {
    expect(reasonOf(putBack(disk({}, beside), NO_BOUNDS, volume(2, 149 * MIB, 20 * MIB)))).toMatch(/V1 is planned/);
    expect(reasonOf(putBack(disk({ table: 'none' }), NO_BOUNDS, volume(2, MIB, MIB)))).toMatch(/no table/);
  });

  it.each([
    ['mbr', 0, false],
    ['mbr', 1, true],
    // The header is in sector 1, and 128 entries of 128 bytes are in 32 sectors behind it.
    ['gpt', 1, false],
    ['gpt', 33, false],
    ['gpt', 34, true],
  ] as const)('on a disk with a table of kind %s from sector %i on: %s', (table, sector, fits) => {
    const edited = putBack(disk({ table }), NO_BOUNDS, volume(2, sector * 512, 20 * MIB));
    expect(reasonOf(edited)).toEqual(fits ? undefined : expect.stringMatching(/lies where the table has to be/));
  });

  it.each([
    ['mbr', 0, true],
    ['gpt', 33, true],
    ['gpt', 32, false],
  ] as const)('at the end of a disk with a table of kind %s, %i sectors from it: %s', (table, sectors, fits) => {
    const length = 20 * MIB;
    const found = volume(2, 200 * MIB - sectors * 512 - length, length);
    const edited = putBack(disk({ table }), NO_BOUNDS, found);
    expect(reasonOf(edited)).toEqual(fits ? undefined : expect.stringMatching(/lies where the table has to be/));
  });
});

describe('what is to be written over', () => {
  const how = { passes: ['zeros'], compare: 0 } as const;
  const free: WipeWish = { what: 'free', volume: asVolumeId('kept-1'), ...how };

  it('is wished for once for a place, and taken back', () => {
    const layout = disk({}, volume(1, MIB, 50 * MIB));
    const once = made(addWipe(made(addWipe(layout, free)), { ...free, passes: ['random'] }));
    expect(once.wipes).toEqual([{ ...free, passes: ['random'] }]);
    const two = made(addWipe(once, { what: 'unallocated', ...how }));
    expect(made(removeWipe(two, { what: 'unallocated' })).wipes).toEqual(once.wipes);
    expect(made(removeWipe(once, free))).toEqual(layout);
  });

  it.each<[string, Partial<LaidVolume>, RegExp]>([
    ['guarded', { guarded: true }, /guarded/],
    ['not known', { fileSystem: 'unknown' }, /not known/],
    ['made anew', { format: 'quick' }, /made anew/],
  ])('is not the free space of a volume that is %s', (_, more, reason) => {
    expect(reasonOf(addWipe(disk({}, volume(1, MIB, 50 * MIB, more)), free))).toMatch(reason);
  });

  it('is no volume that stays', () => {
    const layout = disk({}, volume(1, MIB, 50 * MIB));
    const wish: WipeWish = { what: 'volume', number: 1, name: 'V1', ...how };
    expect(reasonOf(addWipe(layout, wish))).toMatch(/V1 stays/);
    expect(made(addWipe({ ...layout, volumes: [] }, wish)).wipes).toEqual([wish]);
  });

  it('is the whole disk, of which nothing else is left to be done', () => {
    const layout = disk(
      { table: 'gpt', tableEntries: 32_768, mendTable: true, mend: true, wipes: [free] },
      volume(1, MIB, 50 * MIB),
    );
    expect(made(wipeDisk(layout, how))).toEqual({
      diskSize: 200 * MIB,
      sectorSize: 512,
      table: 'none',
      volumes: [],
      wipes: [{ what: 'disk', ...how }],
    });
  });
});
