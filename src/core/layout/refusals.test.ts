/** Refusals are told apart by their codes; their sentences name what they are about. */
import { MIB } from '@/core/size';
import { describe, expect, it } from 'vitest';
import {
  addFolders,
  convertTable,
  createVolume,
  gapsOf,
  guardSeveral,
  moveVolume,
  newTable,
  removeAll,
  removeVolume,
  resizeEnd,
  resizeStart,
  setActive,
  setLabel,
  setLetter,
  setPlacement,
  type Bounds,
  type Edited,
  type Layout,
} from '.';
import { kept } from './fixtures/volumes';

const disk: Layout = {
  ...{ diskSize: 200 * MIB, sectorSize: 512, table: 'gpt' as const },
  volumes: [kept(1, MIB, 60 * MIB, { letter: 'D' }), kept(2, 61 * MIB, 60 * MIB, { fileSystem: 'unknown' })],
};
const bounds: Bounds = new Map([
  [1, { floor: 20 * MIB, ceiling: 100 * MIB, floorReason: 'it is full', ceilingReason: 'it is old' }],
]);
const [first, second] = disk.volumes.map((v) => v.id) as [
  Layout['volumes'][number]['id'],
  Layout['volumes'][number]['id'],
];
const held = guardSeveral(disk, [first], true);
const guarded = held.ok ? held.layout : disk;
const gap = gapsOf(disk).at(-1)!;
const fresh = { fileSystem: 'exfat', label: 'NEW', size: 40 * MIB };
const untabled: Layout = { ...disk, table: 'none', volumes: disk.volumes.slice(0, 1) };

describe('a refused edit says why in a code, with its facts in the sentence', () => {
  it.each<[string, Edited, RegExp]>([
    ['size.floor', resizeEnd(disk, bounds, first, 5 * MIB), /V1.*20 MiB: it is full/],
    ['room.here', resizeEnd(disk, bounds, first, 90 * MIB), /V1 has room for 60 MiB/],
    ['size.unknown', resizeEnd(disk, bounds, second, 30 * MIB), /V2 holds a file system not known/],
    ['guarded.size', resizeEnd(guarded, bounds, first, 50 * MIB), /V1 is guarded and keeps its size/],
    ['guarded.place', moveVolume(guarded, bounds, first, 130 * MIB), /V1 is guarded and stays/],
    ['guarded', removeVolume(guarded, first), /V1 is guarded\. Lift/],
    ['guarded', newTable(guarded, 'gpt'), /V1 is guarded\. Lift/],
    ['place.reached', resizeStart(disk, bounds, first, 0), /The table reaches/],
    [
      'room.unallocated',
      createVolume(disk, bounds, gap, { ...fresh, size: 150 * MIB }),
      /There are 7\d MiB|There are 7/,
    ],
    ['kind.unmade', createVolume(disk, bounds, gap, { ...fresh, fileSystem: 'no such' }), /A no such volume/],
    ['letter.taken', setLetter(disk, second, 'D'), /D is the letter of V1/],
    ['letter.none', setLetter(disk, second, '?'), /“\?”/],
    ['label.fault', setLabel(disk, first, 'x'.repeat(200)), /./],
    ['label.unknown', setLabel(disk, second, 'x'), /V2 holds/],
    ['table.not-mbr', setActive(disk, first, true), /active mark/],
    ['table.not-mbr', setPlacement(disk, bounds, first, 'logical'), /logical volumes/],
    ['table.same', convertTable(disk, bounds, 'gpt'), /a GUID table already/],
    ['table.untabled', convertTable(untabled, bounds, 'gpt'), /Copy it to a disk/],
    ['table.none-to-leave', removeAll(untabled), /Format it instead/],
    ['table.one-volume', createVolume(untabled, bounds, gap, fresh), /one volume only/],
    ['place.untabled', moveVolume(untabled, bounds, first, MIB), /begins where the disk begins/],
    ['transfer.no-folder', addFolders(disk, first, [], { to: second, then: 'keep' }), /No folder/],
  ])('%s', (code, edited, words) => {
    expect(edited).toMatchObject({ ok: false, code });
    expect(!edited.ok && edited.reason).toMatch(words);
  });
});
