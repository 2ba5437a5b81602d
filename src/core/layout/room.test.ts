/** Room that one volume gives another, and the history of edits. */
import { floorTo, GIB, MIB } from '@/core/size';
import { describe, expect, it } from 'vitest';
import {
  ALIGNMENT,
  beginHistory,
  canGive,
  gapsOf,
  makeRoom,
  moveVolume,
  record,
  redo,
  removeAll,
  reorderVolume,
  setGuard,
  splitVolume,
  undo,
  type Bounds,
  type Edited,
  type Layout,
} from '.';
import { bounds, first, ok, spec, stick } from './fixtures/stick';
import { kept } from './fixtures/volumes';

describe('room', () => {
  const disk: Layout = {
    diskSize: 100 * GIB,
    sectorSize: 512,
    table: 'gpt',
    volumes: [
      kept(1, MIB, 20 * GIB - MIB),
      kept(2, 20 * GIB, 30 * GIB),
      kept(3, 50 * GIB, 40 * GIB),
      kept(4, 90 * GIB, GIB, { guarded: true }),
    ],
  };
  const all: Bounds = new Map(
    [1, 2, 3].map((n) => [n, { floor: 10 * GIB, floorReason: 'in use', ceiling: 1000 * GIB, ceilingReason: 'x' }]),
  );
  const [a, b, c, d] = disk.volumes.map((v) => v.id);
  const places = (layout: Layout): number[][] => layout.volumes.map((v) => [v.start / GIB, v.length / GIB]);

  it('comes from a volume two places away, and what lies between is shifted', () => {
    const grown = ok(
      makeRoom(disk, all, { kind: 'grow', id: a, bytes: 8 * GIB }, { side: 'behind', gives: new Map([[c!, 8 * GIB]]) }),
    );
    expect(places(grown).slice(1)).toEqual([
      [28, 30],
      [58, 32],
      [90, 1],
    ]);
  });

  it('leaves a new volume that gives no less than its file system needs', () => {
    const two = ok(splitVolume(stick, bounds, first, { keep: 7433355776, parts: [spec] }));
    const made = two.volumes[1]!;
    const gives = new Map([[made.id, canGive(made, bounds)]]);
    const least = 33 * MIB;
    expect(made.length - gives.get(made.id)!).toBeGreaterThanOrEqual(least);
    const grow = (bytes: number, given = gives): Edited =>
      makeRoom(two, bounds, { kind: 'grow', id: first, bytes }, { side: 'behind', gives: given });
    expect(ok(grow(gives.get(made.id)!)).volumes[1]!.length).toBeGreaterThanOrEqual(least);
    const more = floorTo(made.length - least, ALIGNMENT) + ALIGNMENT;
    expect(grow(more, new Map([[made.id, more]]))).toEqual({
      ok: false,
      code: 'size.least',
      reason: expect.stringContaining('at least 33 MiB'),
    });
  });

  it('comes from a gap behind others, unless one of them is guarded', () => {
    const open = ok(setGuard(disk, d!, false));
    const grown = ok(makeRoom(open, all, { kind: 'grow', id: b, bytes: 5 * GIB }, { side: 'behind' }));
    expect(places(grown).slice(1)).toEqual([
      [20, 35],
      [55, 40],
      [95, 1],
    ]);
    expect(makeRoom(disk, all, { kind: 'grow', id: b, bytes: 5 * GIB }, { side: 'behind' })).toMatchObject({
      reason: 'V4 is guarded and stays where it is.',
    });
  });

  it('comes from before, and may be left unallocated', () => {
    const gives = new Map([[a!, 6 * GIB]]);
    const grown = ok(makeRoom(disk, all, { kind: 'grow', id: c, bytes: 6 * GIB }, { side: 'before', gives }));
    expect(places(grown).slice(1)).toEqual([
      [14, 30],
      [44, 46],
      [90, 1],
    ]);
    const free = ok(makeRoom(disk, all, { kind: 'free', id: b, bytes: 6 * GIB }, { side: 'before', gives }));
    expect(gapsOf(free)[0]).toEqual({ start: 44 * GIB, end: 50 * GIB });
  });

  it('is not made where there is too little, and says what is missing', () => {
    const gives = new Map([[c!, 3 * GIB]]);
    expect(makeRoom(disk, all, { kind: 'grow', id: a, bytes: 8 * GIB }, { side: 'behind', gives })).toMatchObject({
      ok: false,
    });
    expect(canGive(disk.volumes[1]!, all)).toBe(20 * GIB);
    expect(canGive(disk.volumes[3]!, all)).toBe(0);
  });

  it('an order is changed with the gaps where they were, and refused across a guard', () => {
    const next = ok(reorderVolume(disk, all, c!, b));
    expect(places(next).slice(1)).toEqual([
      [20, 40],
      [60, 30],
      [90, 1],
    ]);
    expect(reorderVolume(disk, all, a!, undefined)).toMatchObject({ reason: expect.stringMatching(/guarded/) });
    expect(moveVolume(disk, all, a!, 95 * GIB)).toMatchObject({ ok: false });
    expect(ok(removeAll(disk)).volumes.map((v) => v.id)).toEqual([d]);
  });
});

describe('the history', () => {
  it('undoes and redoes, and merges a drag into one', () => {
    let h = beginHistory(0);
    h = record(h, 1, 'drag to 1', 'd1');
    h = record(h, 2, 'drag to 2', 'd1');
    expect(h.past.map((t) => t.name)).toEqual(['drag to 2']);
    h = record(h, 3, 'label');
    expect(undo(undo(h)).present).toBe(0);
    expect(redo(redo(undo(undo(h)))).present).toBe(3);
    expect(undo(undo(undo(h))).present).toBe(0);
    expect(redo(record(undo(h), 9, 'other')).present).toBe(9);
  });
});
