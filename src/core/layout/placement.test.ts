import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  asVolumeId,
  convertTable,
  endOf,
  gapsOf,
  mendTable,
  newTable,
  resizeEnd,
  setFlag,
  setPlacement,
  settle,
  type Bounds,
  type Edited,
  type LaidVolume,
  type Layout,
} from '.';

const MIB = 2 ** 20;
const GIB = 2 ** 30;

const volume = (n: number, start: number, length: number, more: Partial<LaidVolume> = {}): LaidVolume => ({
  id: asVolumeId(`v${n}`),
  origin: { kind: 'kept', number: n },
  start,
  length,
  fileSystem: 'ntfs',
  label: `V${n}`,
  role: 'data',
  active: false,
  type: 7,
  logical: false,
  flags: [],
  guarded: false,
  ...more,
});

const layout = (volumes: LaidVolume[], more: Partial<Layout> = {}): Layout => ({
  diskSize: 200 * GIB,
  sectorSize: 512,
  table: 'mbr',
  volumes,
  ...more,
});

const bounds: Bounds = new Map(
  [1, 2, 3, 4, 5, 6, 7, 8].map((n) => [n, { floor: GIB, floorReason: 'x', ceiling: 900 * GIB, ceilingReason: 'x' }]),
);
const ok = (edited: Edited): Layout => {
  if (!edited.ok) throw new Error(edited.reason);
  return edited.layout;
};
const NEW: Partial<LaidVolume> = { origin: { kind: 'new' }, format: 'quick' };

describe('places in a master boot record', () => {
  it('always fit its four entries, with room before every logical volume, or there is a reason', () => {
    const one = fc.record({
      length: fc.integer({ min: 2, max: 12 }),
      gap: fc.constantFrom(0, 0, 1, 3),
      kept: fc.boolean(),
      active: fc.integer({ min: 0, max: 6 }).map((n) => n === 0),
      wish: fc.constantFrom(undefined, undefined, undefined, 'primary' as const, 'logical' as const),
    });
    fc.assert(
      fc.property(fc.array(one, { maxLength: 8 }), (facts) => {
        let at = MIB;
        const volumes = facts.map(({ length, gap, kept, active, wish }, i) => {
          at += gap * MIB;
          const start = at;
          at += length * GIB;
          return volume(i + 1, start, length * GIB, {
            active,
            ...(kept ? {} : NEW),
            ...(wish && !kept ? { placement: wish } : {}),
          });
        });
        const settled = settle(layout(volumes), bounds);
        if (!settled.ok) return void expect(settled.reason.length).toBeGreaterThan(20);
        const out = settled.layout.volumes;
        const logical = out.filter((v) => v.logical);
        expect(out.length - logical.length + (logical.length > 0 ? 1 : 0)).toBeLessThanOrEqual(4);
        out.forEach((v, i) => {
          const before = out[i - 1] ? endOf(out[i - 1]!) : MIB;
          expect(v.start).toBeGreaterThanOrEqual(before);
          if (v.logical) {
            expect(v.start - before).toBeGreaterThanOrEqual(512);
            expect(v.active).toBe(false);
          }
          // What is kept is never moved.
          if (v.origin.kind === 'kept') expect(v.start).toBe(volumes[i]!.start);
        });
        const places = out.map((v) => v.logical);
        if (logical.length > 0) expect(places.lastIndexOf(true) - places.indexOf(true) + 1).toBe(logical.length);
        expect(settle(settled.layout, bounds)).toMatchObject({ ok: true, layout: settled.layout });
      }),
    );
  });

  it('follow a wish, and say why when they can’t', () => {
    const four = layout([1, 2, 3].map((n) => volume(n, MIB + (n - 1) * 20 * GIB, 19 * GIB)));
    const wished = ok(setPlacement(four, bounds, four.volumes[2]!.id, 'logical'));
    expect(wished.volumes.map((v) => v.logical)).toEqual([false, false, true]);
    const back = ok(setPlacement(wished, bounds, wished.volumes[2]!.id, undefined));
    expect(back.volumes[2]!.placement).toBeUndefined();
    const apart = layout([
      volume(1, MIB, GIB, { logical: true }),
      volume(2, 2 * GIB, GIB, { active: true }),
      volume(3, 4 * GIB, GIB, { logical: true }),
    ]);
    expect(settle(apart, bounds)).toMatchObject({
      ok: false,
      reason: expect.stringMatching(/V2 needs an entry/) as string,
    });
  });

  it('a logical volume that follows an edge keeps its boot record before it', () => {
    const two = layout([
      volume(1, MIB, 20 * GIB),
      volume(2, 20 * GIB + 2 * MIB, 20 * GIB, { ...NEW, logical: true, placement: 'logical' }),
    ]);
    const smaller = ok(resizeEnd(two, bounds, two.volumes[0]!.id, 10 * GIB));
    expect(smaller.volumes[1]!.start - endOf(smaller.volumes[0]!)).toBe(MIB);
    expect(endOf(smaller.volumes[1]!)).toBe(endOf(two.volumes[1]!));
  });
});

describe('another table', () => {
  it('takes the room for its copy from the last volume, and no more', () => {
    const full = layout([volume(1, MIB, 200 * GIB - MIB)]);
    const converted = ok(convertTable(full, bounds, 'gpt'));
    expect(converted.table).toBe('gpt');
    expect(full.volumes[0]!.length - converted.volumes[0]!.length).toBe(MIB);
    expect(gapsOf(converted)).toEqual([]);
  });

  it.each<[string, Layout, 'mbr' | 'gpt', RegExp]>([
    ['to what it is', layout([]), 'mbr', /already/],
    ['without a table', layout([volume(1, 0, GIB)], { table: 'none' }), 'gpt', /begins where the table/],
    ['with a volume in the way', layout([volume(1, 8192, GIB)]), 'gpt', /begins where the table has to go/],
    [
      'with a guarded volume at the end',
      layout([volume(1, MIB, 200 * GIB - MIB, { guarded: true })]),
      'gpt',
      /can’t give/,
    ],
    [
      'of a disk beyond 2 TiB',
      layout([volume(1, 3000 * GIB, GIB)], { table: 'gpt', diskSize: 4000 * GIB }),
      'mbr',
      /reaches 2 TiB/,
    ],
  ])('is refused %s', (_name, from, kind, words) => {
    const result = convertTable(from, bounds, kind);
    expect(!result.ok && result.reason).toMatch(words);
  });

  it('that is new is empty, and guarded volumes hold it up', () => {
    const guarded = layout([volume(1, MIB, GIB, { guarded: true })]);
    expect(newTable(guarded, 'gpt').ok).toBe(false);
    expect(ok(newTable(guarded, 'gpt', true))).toMatchObject({ table: 'gpt', volumes: [], mendTable: true });
    expect(mendTable(layout([], { table: 'none' })).ok).toBe(false);
  });
});

describe('marks', () => {
  it('are flags on a GUID table and type codes on a master boot record', () => {
    const gpt = layout([volume(1, MIB, GIB)], { table: 'gpt' });
    const marked = ok(setFlag(gpt, gpt.volumes[0]!.id, 'no-letter', true));
    expect(marked.volumes[0]!.flags).toEqual(['no-letter']);
    expect(ok(setFlag(marked, marked.volumes[0]!.id, 'no-letter', false)).volumes[0]!.flags).toEqual([]);
    const mbr = layout([volume(1, MIB, GIB)]);
    expect(ok(setFlag(mbr, mbr.volumes[0]!.id, 'hidden', true)).volumes[0]!.type).toBe(0x17);
    expect(setFlag(mbr, mbr.volumes[0]!.id, 'required', true).ok).toBe(false);
  });
});
