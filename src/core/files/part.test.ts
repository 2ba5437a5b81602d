/** Parts of a tree: together they are all of it, each as large as there is room for, and no file is torn. */
import type { FileEntry } from '@/core/fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { sortByPath } from './list-tree';
import { parentOf } from './names';
import { entriesOf, goesWith, partWithin, removedWith, type Part } from './part';

const NAMES = ['a', 'a-b', 'a.d', 'A', 'b', '~', 'ä', '😀'];

interface Made {
  readonly names: readonly string[];
  readonly size: number;
  readonly kind: 'file' | 'folder';
  readonly stream: boolean;
  readonly id: number;
}

const made = fc.record<Made>({
  names: fc.array(fc.constantFrom(...NAMES), { minLength: 1, maxLength: 4 }),
  size: fc.integer({ min: 0, max: 50 }),
  kind: fc.constantFrom('file', 'file', 'folder'),
  stream: fc.boolean(),
  id: fc.integer({ min: 1, max: 300 }),
});

/** A tree of a folder `T`, in which every entry is in a folder, and some files have several names. */
function treeOf(all: readonly Made[]): FileEntry[] {
  const out = new Map<string, FileEntry>();
  const plain = { times: {}, attributes: [] };
  const folders = (path: string): boolean => {
    if (path.includes('/') && !folders(parentOf(path))) return false;
    const known = out.get(path);
    if (!known) out.set(path, { path, kind: 'folder', size: 0, id: 1000 + out.size, ...plain });
    return !known || known.kind === 'folder';
  };
  folders('T');
  for (const { names, size, kind, stream, id } of all) {
    const path = `T/${names.join('/')}`;
    if (!folders(parentOf(path)) || out.has(path)) continue;
    out.set(path, {
      path,
      kind,
      size: kind === 'file' ? size : 0,
      id: kind === 'file' ? id : 1000 + out.size,
      ...plain,
    });
    if (stream)
      out.set(`${path}:s`, { path: `${path}:s`, stream: 's', kind: 'file', size, id: 5000 + out.size, ...plain });
  }
  const entries = [...out.values()];
  sortByPath(entries);
  return entries;
}

const takes = ({ size }: FileEntry): number => size + 1;

/** All parts of a tree there are with so much room, each with what is left of the tree before it. */
function partsOf(
  entries: readonly FileEntry[],
  room: number,
): { part: Part; before: readonly FileEntry[] }[] | undefined {
  const out = [];
  let before = entries;
  for (let from: string | undefined; ;) {
    const part = partWithin(before, from, room, takes);
    if (!part) return undefined;
    out.push({ part, before });
    if (part.until === undefined) return out;
    const gone = removedWith(before, part.until);
    before = before.filter(
      ({ path }) => !gone.some((g) => path === g || path.startsWith(`${g}/`) || path.startsWith(`${g}:`)),
    );
    from = part.until;
  }
}

describe('parts of a tree', () => {
  it('are all of it, one after the other, each within the room, with no file in two', () => {
    let several = 0;
    fc.assert(
      fc.property(fc.array(made, { minLength: 5, maxLength: 40 }), fc.integer({ min: 60, max: 300 }), (all, room) => {
        const entries = treeOf(all);
        const parts = partsOf(entries, room);
        if (!parts) return;
        several += parts.length > 1 ? 1 : 0;
        const goes = new Map<string, number>();
        const ids = new Map<number, number>();
        for (const [i, { part, before }] of parts.entries()) {
          const own = entries.filter((e) => goesWith(e, part));
          expect(own.reduce((sum, e) => sum + takes(e), 0)).toBeLessThanOrEqual(room);
          for (const { path, id, kind } of own) {
            expect(goes.has(path)).toBe(false);
            goes.set(path, i);
            if (kind === 'file') expect(ids.get(id) ?? i).toBe(i);
            ids.set(id, i);
          }
          // What is there when its turn comes is the same as what was planned of the whole.
          expect(entriesOf(before, part)).toEqual(entriesOf(entries, part));
          const paths = new Set(entriesOf(entries, part).map((e) => e.path));
          for (const path of paths) if (path !== 'T') expect(paths.has(parentOf(path))).toBe(true);
        }
        expect(goes.size).toBe(entries.length);
      }),
      { numRuns: 400 },
    );
    expect(several).toBeGreaterThan(100);
  });

  it('leave a folder until the last of it has gone', () => {
    const entries = treeOf([
      { names: ['a', 'x'], size: 5, kind: 'file', stream: false, id: 1 },
      { names: ['a', 'y'], size: 5, kind: 'file', stream: true, id: 2 },
      { names: ['a.d'], size: 0, kind: 'folder', stream: false, id: 3 },
      { names: ['b'], size: 5, kind: 'file', stream: false, id: 4 },
    ]);
    expect(removedWith(entries, 'T/a/y')).toEqual(['T/a.d', 'T/a/x']);
    expect(removedWith(entries, 'T/b')).toEqual(['T/a', 'T/a.d']);
  });

  it('there are none of, where names of one file are at both ends', () => {
    const ends = ['a', 'b'].map((name): Made => ({ names: [name], size: 9, kind: 'file', stream: false, id: 7 }));
    const middle: Made = { names: ['a-b'], size: 9, kind: 'file', stream: false, id: 8 };
    expect(partWithin(treeOf([...ends, middle]), undefined, 25, takes)).toEqual({ until: 'T/a' });
    expect(partWithin(treeOf([...ends, middle]), 'T/a', 25, takes)).toBeUndefined();
    expect(partWithin(treeOf([...ends, middle]), 'T/a', 30, takes)).toEqual({ from: 'T/a' });
  });
});
