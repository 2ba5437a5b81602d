import { GIB, MIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  ALIGNMENT,
  canGive,
  changesBetween,
  createVolume,
  endOf,
  formatVolume,
  gapsOf,
  lastUsable,
  letterFault,
  makeRoom,
  moveVolume,
  nextLetter,
  refuse,
  removeVolume,
  reorderVolume,
  resizeEnd,
  resizeStart,
  setActive,
  setGuard,
  setLabel,
  setLetter,
  splitVolume,
  type Edited,
  type LaidVolume,
  type Layout,
} from '.';
import { bounds, first, ok, spec, stick } from './fixtures/stick';
import { kept } from './fixtures/volumes';

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

  it('the start of any volume moves, that of a kept one down to its floor', () => {
    const layout = ok(resizeStart(two, bounds, second, 6 * GIB));
    expect(gapsOf(layout)).toHaveLength(1);
    expect(ok(resizeStart(two, bounds, first, GIB)).volumes[0]).toMatchObject({ start: GIB, length: 4 * GIB + MIB });
    expect(resizeStart(two, bounds, first, 3 * GIB)).toMatchObject({ ok: false, nearest: 2 * GIB + MIB });
    expect(resizeStart(two, new Map(), first, 2 * MIB)).toMatchObject({ ok: false });
    expect(resizeStart(two, bounds, second, 0)).toMatchObject({ ok: false, nearest: 5 * GIB + MIB });
  });

  it('a guarded volume keeps its size and its place in the table until the guard is lifted', () => {
    const guarded = ok(setGuard(stick, first, true));
    expect(resizeEnd(guarded, bounds, first, 5 * GIB)).toMatchObject({ ok: false });
    expect(removeVolume(guarded, first)).toMatchObject({ ok: false });
    expect(ok(removeVolume(guarded, first, true)).volumes).toHaveLength(0);
  });
});

describe('what a plan changes', () => {
  const two: Layout = { ...stick, volumes: [kept(1, MIB, 4 * GIB), kept(2, 5 * GIB, 4 * GIB, { letter: 'F' })] };
  const second = two.volumes[1]!;
  const changedTo = (change: Partial<LaidVolume>) =>
    changesBetween(two, { ...two, volumes: [two.volumes[0]!, { ...second, ...change }] });

  it.each<[string, Partial<LaidVolume>]>([
    ['formatted', { format: 'quick' }],
    ['shrunk', { length: 3 * GIB }],
    ['grown', { length: 5 * GIB }],
    ['moved', { start: 6 * GIB }],
    ['labelled', { label: 'OTHER' }],
    ['lettered', { letter: 'G' }],
    ['activated', { active: true }],
    ['placed', { logical: true }],
    ['marked', { flags: ['hidden'] }],
  ])('is said of a volume that is %s, and of no other', (what, change) => {
    const { volumes, count } = changedTo(change);
    expect(volumes.map((v) => v.what)).toEqual([[], [what]]);
    expect(count).toBe(1);
  });

  it('counts what is made, what goes and what happens to the table', () => {
    const made = { ...kept(9, 10 * GIB, GIB), origin: { kind: 'new' } as const };
    const { volumes, count, table } = changesBetween(two, { ...two, table: 'gpt', volumes: [second, made] });
    expect(volumes.map((v) => [v.id, v.what])).toEqual([
      ['kept-2', []],
      ['kept-9', ['made']],
      ['kept-1', ['removed']],
    ]);
    expect([table, count]).toEqual(['converted', 3]);
    expect(changesBetween({ ...two, table: 'none' }, two).table).toBe('made');
    expect(changesBetween(two, { ...two, mendTable: true })).toMatchObject({ table: 'mended', count: 1 });
    const found = changesBetween(two, { ...two, volumes: [...two.volumes, kept(9, 10 * GIB, GIB)] });
    expect([found.volumes.map((v) => v.what).at(-1), found.count]).toEqual([['found'], 1]);
    // A conversion takes volumes out of a chain that is there no more.
    const chained = { ...two, volumes: [{ ...second, logical: true }] };
    expect(changesBetween(chained, { ...two, table: 'gpt', volumes: [second] }).volumes[0]!.what).toEqual([]);
  });

  it('does not count what is nothing on the disk', () => {
    expect(changedTo({ role: 'system', guarded: true }).count).toBe(0);
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
    expect(letterFault(two, id, 'F', ['F'])?.reason).toContain('in use on this machine');
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
    kind: fc.nat(11),
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
    if (!volume) return refuse('shares.few', {});
    if (kind === 1) return resizeEnd(layout, bounds, volume.id, size);
    if (kind === 2) return resizeStart(layout, bounds, volume.id, at);
    if (kind === 3) return splitVolume(layout, bounds, volume.id, { keep: size, parts: [spec] });
    if (kind === 4 && volume.origin.kind === 'new') return removeVolume(layout, volume.id);
    if (kind === 6) return moveVolume(layout, bounds, volume.id, at);
    if (kind === 7) return reorderVolume(layout, bounds, volume.id, layout.volumes[which]?.id);
    if (kind === 8 || kind === 9) {
      const gives = new Map(layout.volumes.map((v) => [v.id, canGive(v, bounds)]));
      const wish = { kind: kind === 8 ? ('grow' as const) : ('free' as const), id: volume.id, bytes: size };
      return makeRoom(layout, bounds, wish, { side: at % 2 ? 'behind' : 'before', gives });
    }
    if (kind === 5) return setLabel(layout, volume.id, `L${size % 100}`);
    return setLetter(layout, volume.id, 'CDEFG'[which]);
  }

  /** Edits whose refusals name the nearest that can be. */
  const again: Record<number, typeof resizeEnd> = { 1: resizeEnd, 2: resizeStart, 6: moveVolume };

  it('leave volumes sorted, aligned, apart and on the disk, and every refusal’s nearest can be', () => {
    fc.assert(
      fc.property(fc.array(op, { maxLength: 25 }), (ops) => {
        let layout = stick;
        for (const o of ops) {
          const result = apply(layout, o);
          if (result.ok) layout = result.layout;
          else if (result.nearest !== undefined && again[o.kind]) {
            const volume = layout.volumes[o.which % layout.volumes.length]!;
            expect(again[o.kind]!(layout, bounds, volume.id, result.nearest)).toMatchObject({ ok: true });
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
      { numRuns: 300 },
    );
  });
});
