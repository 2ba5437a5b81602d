/** Edits that bring volumes in, and have files go from one to another. */
import { giveOwnVolume, sizeForFolders } from '@/core/goal';
import { HERE } from '@/core/place';
import { GIB, MIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  addTransfer,
  asVolumeId,
  changesBetween,
  copyVolume,
  endOf,
  gapsOf,
  layoutSchema,
  mergeVolume,
  removeTransfer,
  removeVolume,
  resizeEnd,
  setIdentity,
  type Bounds,
  type CopySource,
  type Edited,
  type LaidVolume,
  type Layout,
} from '.';

const volume = (number: number, start: number, length: number): LaidVolume => ({
  id: asVolumeId(`kept-${number}`),
  origin: { kind: 'kept', number },
  start: start * MIB,
  length: length * MIB,
  fileSystem: 'ntfs',
  label: `V${number}`,
  role: 'data',
  active: false,
  type: 7,
  logical: false,
  flags: [],
  guarded: false,
});

const disk = (...volumes: LaidVolume[]): Layout => ({ diskSize: 2000 * MIB, sectorSize: 512, table: 'gpt', volumes });
const BOUNDS: Bounds = new Map(
  [1, 2].map((n) => [n, { floor: 50 * MIB, floorReason: 'files', ceiling: 2 ** 44, ceilingReason: '' }]),
);

const source = (length: number, floor: number | undefined): CopySource => ({
  volume: { ...volume(3, 1, length), letter: 'D', guid: '00000000-0000-0000-0000-000000000009', active: true },
  sectorSize: 512,
  origin: {
    kind: 'copy',
    of: { disk: 'old', number: 3 },
    name: 'V3',
    diskName: 'Old',
    length: length * MIB,
    used: (floor ?? length) * MIB,
    identity: 'new',
    ...(floor === undefined
      ? {}
      : { bounds: { floor: floor * MIB, floorReason: 'files', ceiling: 2 ** 44, ceilingReason: '' } }),
  },
});

const made = (edited: Edited): Layout => {
  if (!edited.ok) throw new Error(edited.reason);
  expect(layoutSchema.parse(structuredClone(edited.layout))).toEqual(edited.layout);
  return edited.layout;
};
const copied = (layout: Layout): LaidVolume => layout.volumes.find((v) => v.origin.kind === 'copy')!;

describe('a volume that is brought in', () => {
  it('stands in the gap, on the disk, no smaller than its floor, whatever the sizes', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 2, max: 2500 }),
        fc.option(fc.integer({ min: 1, max: 2500 }), { nil: undefined }),
        fc.option(fc.integer({ min: 1, max: 2500 }), { nil: undefined }),
        (length, floor, size) => {
          const layout = disk(volume(1, 1, 400));
          const least = floor === undefined ? undefined : Math.min(floor, length);
          const wish = size === undefined ? {} : { size: size * MIB };
          const edited = copyVolume(layout, BOUNDS, gapsOf(layout)[0]!, source(length, least), wish);
          if (!edited.ok) return;
          const copy = copied(made(edited));
          expect(copy.start).toBeGreaterThanOrEqual(401 * MIB);
          expect(endOf(copy)).toBeLessThanOrEqual(2000 * MIB);
          expect(copy.length).toBeGreaterThanOrEqual((least ?? length) * MIB);
          expect([copy.letter, copy.guid, copy.active]).toEqual([undefined, undefined, false]);
        },
      ),
    );
  });

  it('makes a table on a blank disk, keeps its size where its content is not known, and can take the identity', () => {
    const blank: Layout = { diskSize: 2000 * MIB, sectorSize: 512, table: 'none', volumes: [] };
    const layout = made(copyVolume(blank, BOUNDS, { start: 0, end: blank.diskSize }, source(300, undefined)));
    expect([layout.table, layout.mendTable]).toEqual(['mbr', true]);
    const copy = copied(layout);
    expect(resizeEnd(layout, BOUNDS, copy.id, 200 * MIB)).toMatchObject({ ok: false, nearest: 300 * MIB });
    expect(copied(made(setIdentity(layout, copy.id, 'kept'))).origin).toMatchObject({ identity: 'kept' });
    expect(changesBetween(blank, layout).volumes[0]!.what).toEqual(['copied']);
  });
});

describe('what goes from volume to volume', () => {
  const wish = {
    from: { disk: HERE, number: 1 },
    fromName: 'V1',
    to: asVolumeId('kept-2'),
    folder: 'Photos',
    under: 'Photos',
    then: 'remove' as const,
  };

  it('is told once for a folder, counts as a change, and goes when its target goes', () => {
    const layout = disk(volume(1, 1, 400), volume(2, 401, 400));
    const once = made(addTransfer(made(addTransfer(layout, wish)), { ...wish, then: 'keep' }));
    expect(once.transfers).toEqual([{ ...wish, then: 'keep' }]);
    expect(changesBetween(layout, once).count).toBe(1);
    expect(made(removeTransfer(once, wish)).transfers).toEqual([]);
    expect(made(removeVolume(once, asVolumeId('kept-2'))).transfers).toEqual([]);
    expect(addTransfer(layout, { ...wish, to: asVolumeId('kept-1') })).toMatchObject({ ok: false });
    const guarded = disk(volume(1, 1, 400), { ...volume(2, 401, 400), guarded: true });
    expect(addTransfer(guarded, wish)).toMatchObject({ ok: false, reason: expect.stringMatching(/guarded/) });
  });

  it('merges a volume into the one before it, which takes its room, and else leaves that unallocated', () => {
    const layout = disk(volume(1, 1, 400), volume(2, 401, 400));
    const [first, second] = layout.volumes as [LaidVolume, LaidVolume];
    const over = made(mergeVolume(layout, BOUNDS, second.id, first.id, 'second'));
    expect(over.volumes.map((v) => [v.id, endOf(v) > 801 * MIB])).toEqual([[first.id, true]]);
    const back = mergeVolume(layout, BOUNDS, first.id, second.id, '');
    expect(made(back).volumes).toEqual([second]);
    expect(back).toMatchObject({ notes: [expect.stringMatching(/unallocated/)] });
  });

  it('gives folders a volume of their own with headroom, in a gap or of what their volume can give', () => {
    const folders = [{ path: 'People/Photos', bytes: 200 * MIB, files: 10 }];
    const size = sizeForFolders(folders);
    expect(size).toBeGreaterThan(250 * MIB);
    const roomy = made(giveOwnVolume(disk(volume(1, 1, 400)), BOUNDS, asVolumeId('kept-1'), folders, true));
    expect(roomy.volumes.map((v) => v.length)).toEqual([400 * MIB, size]);
    expect(roomy.transfers).toMatchObject([{ folder: 'People/Photos', under: 'Photos', leave: 'link' }]);
    const tight = { ...disk(volume(1, 1, 1998)), diskSize: 2000 * MIB };
    const split = made(giveOwnVolume(tight, BOUNDS, asVolumeId('kept-1'), folders, false));
    expect(split.volumes[0]!.length + split.volumes[1]!.length).toBe(1998 * MIB);
    const much = [{ path: 'All', bytes: 3 * GIB, files: 1 }];
    expect(giveOwnVolume(tight, BOUNDS, asVolumeId('kept-1'), much, false)).toMatchObject({
      ok: false,
      reason: expect.stringMatching(/can give/),
    });
  });
});
