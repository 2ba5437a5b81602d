import { GIB, MIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  ALIGNMENT,
  asVolumeId,
  beginHistory,
  createVolume,
  endOf,
  formatVolume,
  gapsOf,
  lastUsable,
  letterFault,
  nextLetter,
  record,
  redo,
  removeVolume,
  resizeEnd,
  resizeStart,
  setActive,
  setGuard,
  setLabel,
  setLetter,
  splitVolume,
  undo,
  type Bounds,
  type Edited,
  type LaidVolume,
  type Layout,
} from '.';

const kept = (number: number, start: number, length: number, more: Partial<LaidVolume> = {}): LaidVolume => ({
  id: asVolumeId(`kept-${number}`),
  origin: { kind: 'kept', number },
  start,
  length,
  fileSystem: 'fat32',
  label: `V${number}`,
  role: 'data',
  active: false,
  logical: false,
  flags: [],
  type: 0x0c,
  guarded: false,
  ...more,
});

const stick: Layout = {
  diskSize: 16e9 - (16e9 % 512),
  sectorSize: 512,
  table: 'mbr',
  volumes: [kept(1, MIB, 14 * GIB, { letter: 'E' })],
};
const bounds: Bounds = new Map([
  [1, { floor: 3 * GIB, floorReason: 'it is in use', ceiling: 100 * GIB, ceilingReason: 'x' }],
]);
const first = stick.volumes[0]!.id;
const spec = { fileSystem: 'fat32', label: 'NEW' };

function ok(result: Edited): Layout {
  if (!result.ok) throw new Error(result.reason);
  return result.layout;
}

describe('splitting', () => {
  it('fills what the volume had with new ones, aligned, letters handed out', () => {
    const layout = ok(splitVolume(stick, bounds, first, { keep: 5 * GIB, parts: [spec, spec, spec] }));
    expect(layout.volumes.map((v) => v.letter)).toEqual(['E', 'D', 'F', 'G']);
    expect(layout.volumes.slice(1).every((v) => v.start % ALIGNMENT === 0)).toBe(true);
    expect(endOf(layout.volumes[3]!)).toBe(lastUsable(stick));
  });

  it('refuses a size below the floor with the reason and the nearest', () => {
    const result = splitVolume(stick, bounds, first, { keep: GIB, parts: [spec] });
    expect(result).toMatchObject({ ok: false, nearest: 3 * GIB });
    expect(!result.ok && result.reason).toContain('it is in use');
  });

  it('makes logical what the four entries of a table have no room for, and says so', () => {
    const result = splitVolume(stick, bounds, first, { keep: 4 * GIB, parts: [spec, spec, spec, spec] });
    const layout = ok(result);
    expect(layout.volumes.map((v) => v.logical)).toEqual([false, false, false, true, true]);
    expect(result.ok && result.notes.join(' ')).toMatch(/is logical: the table has 4 entries/);
    const [, , third, fourth] = layout.volumes;
    expect(fourth!.start - endOf(third!)).toBeGreaterThan(0);
  });
});

describe('edges', () => {
  const two = ok(splitVolume(stick, bounds, first, { keep: 5 * GIB, parts: [spec] }));
  const second = two.volumes[1]!.id;

  it('a touching new volume gives and takes', () => {
    const layout = ok(resizeEnd(two, bounds, first, 7 * GIB));
    expect(layout.volumes[1]!.start).toBe(7 * GIB + MIB);
    expect(endOf(layout.volumes[1]!)).toBe(endOf(two.volumes[1]!));
    expect(resizeEnd(two, bounds, first, 20 * GIB)).toMatchObject({ ok: false });
  });

  it('the start of a new volume moves, that of a kept one does not', () => {
    const layout = ok(resizeStart(two, second, 6 * GIB));
    expect(gapsOf(layout)).toHaveLength(1);
    expect(resizeStart(two, first, 2 * MIB)).toMatchObject({ ok: false, nearest: MIB });
    expect(resizeStart(two, second, 0)).toMatchObject({ ok: false, nearest: 5 * GIB + MIB });
  });

  it('a guarded volume keeps its size and its place in the table until the guard is lifted', () => {
    const guarded = ok(setGuard(stick, first, true));
    expect(resizeEnd(guarded, bounds, first, 5 * GIB)).toMatchObject({ ok: false });
    expect(removeVolume(guarded, first)).toMatchObject({ ok: false });
    expect(ok(removeVolume(guarded, first, true)).volumes).toHaveLength(0);
  });
});

describe('labels, letters, marks', () => {
  it('stores a label as the file system will and refuses what it cannot', () => {
    const result = setLabel(stick, first, 'scans');
    expect(result).toMatchObject({ ok: true, notes: ['The label is stored as SCANS.'] });
    expect(setLabel(stick, first, 'far too long for it')).toMatchObject({ ok: false });
    expect(setLabel(stick, first, 'a*b')).toMatchObject({ ok: false });
  });

  it('refuses a letter that is taken and hands out C to Z only', () => {
    const two = ok(splitVolume(stick, bounds, first, { keep: 5 * GIB, parts: [spec] }));
    const id = two.volumes[1]!.id;
    expect(setLetter(two, id, 'E')).toMatchObject({ ok: false, reason: 'E is the letter of V1.' });
    expect(ok(setLetter(two, id, 'A')).volumes[1]!.letter).toBe('A');
    expect(ok(setLetter(two, id, undefined)).volumes[1]!.letter).toBeUndefined();
    expect(letterFault(two, id, 'é')).toBeDefined();
    expect(letterFault(two, id, 'F', ['F'])).toContain('in use on this machine');
    expect(nextLetter(two, [...'FGHIJKLMNOPQRSTUVWXYZ'])).toBeUndefined();
  });

  it('keeps one active volume', () => {
    const two = ok(splitVolume(stick, bounds, first, { keep: 5 * GIB, parts: [spec] }));
    const both = ok(setActive(ok(setActive(two, first, true)), two.volumes[1]!.id, true));
    expect(both.volumes.map((v) => v.active)).toEqual([false, true]);
  });

  it('formats to what suits the size only', () => {
    expect(ok(formatVolume(stick, first, { fileSystem: 'fat32', clusterSize: 32768 })).volumes[0]!.format).toBe(
      'quick',
    );
    expect(formatVolume(stick, first, { fileSystem: 'fat12' })).toMatchObject({ ok: false });
    expect(formatVolume(stick, first, { fileSystem: 'fat32', clusterSize: 1000 })).toMatchObject({ ok: false });
  });
});

describe('any edits in any order', () => {
  const op = fc.record({
    kind: fc.nat(7),
    which: fc.nat(5),
    size: fc.integer({ min: 0, max: 17 * GIB }),
    at: fc.nat(17 * GIB),
  });

  function apply(
    layout: Layout,
    { kind, which, size, at }: { kind: number; which: number; size: number; at: number },
  ): Edited {
    const volume = layout.volumes[which % Math.max(1, layout.volumes.length)];
    const gaps = gapsOf(layout);
    if (kind === 0 && gaps.length > 0)
      return createVolume(layout, bounds, gaps[which % gaps.length]!, { ...spec, size }, at);
    if (!volume) return { ok: false, reason: 'nothing there' };
    if (kind === 1) return resizeEnd(layout, bounds, volume.id, size);
    if (kind === 2) return resizeStart(layout, volume.id, at);
    if (kind === 3) return splitVolume(layout, bounds, volume.id, { keep: size, parts: [spec] });
    if (kind === 4 && volume.origin.kind === 'new') return removeVolume(layout, volume.id);
    if (kind === 5) return setLabel(layout, volume.id, `L${size % 100}`);
    return setLetter(layout, volume.id, 'CDEFG'[which]);
  }

  it('leave volumes sorted, aligned, apart and on the disk, and every refusal’s nearest can be', () => {
    fc.assert(
      fc.property(fc.array(op, { maxLength: 25 }), (ops) => {
        let layout = stick;
        for (const o of ops) {
          const result = apply(layout, o);
          if (result.ok) layout = result.layout;
          else if (result.nearest !== undefined && o.kind === 1) {
            const volume = layout.volumes[o.which % layout.volumes.length]!;
            expect(resizeEnd(layout, bounds, volume.id, result.nearest)).toMatchObject({ ok: true });
          }
          let end = MIB;
          for (const v of layout.volumes) {
            expect(v.start).toBeGreaterThanOrEqual(end);
            expect(v.start % ALIGNMENT).toBe(0);
            expect(v.length).toBeGreaterThan(0);
            end = endOf(v);
          }
          expect(end).toBeLessThanOrEqual(layout.diskSize);
          const letters = layout.volumes.flatMap((v) => v.letter ?? []);
          expect(new Set(letters).size).toBe(letters.length);
        }
      }),
    );
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
