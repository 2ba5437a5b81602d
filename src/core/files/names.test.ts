import { findKind } from '@/core/fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mapNames, parentOf } from './names';

const KINDS = ['fat32', 'exfat', 'ntfs'];
const LETTERS = fc.constantFrom(...'aAbB.:?* ', 'é', '植', 'con', 'x'.repeat(80));
const NAME = fc
  .array(LETTERS, { minLength: 1, maxLength: 5 })
  .map((parts) => parts.join(''))
  .filter((name) => !name.includes('/'));

/** A tree in the order in which it is listed, its files and folders under made-up names. */
const TREE = fc.array(fc.tuple(fc.nat(), NAME, fc.boolean()), { maxLength: 30 }).map((rows) => {
  const folders = ['top'];
  const entries = [{ path: 'top', kind: 'folder' }];
  const seen = new Set(['top']);
  for (const [at, name, isFolder] of rows) {
    const path = `${folders[at % folders.length]!}/${name}`;
    if (seen.has(path)) continue;
    seen.add(path);
    entries.push({ path, kind: isFolder ? 'folder' : 'file' });
    if (isFolder) folders.push(path);
  }
  return entries.sort((a, b) => (a.path < b.path ? -1 : 1));
});

describe('names at a new place', () => {
  it('can be there, are told apart, and nothing is put where something is, whatever there is', () => {
    fc.assert(
      fc.property(
        TREE,
        TREE,
        fc.constantFrom(...KINDS),
        fc.constantFrom('top', 'in/Top', 'IN/x/y'),
        (tree, there, kind, under) => {
          const { holds } = findKind(kind)!;
          const existing = there.map((e) => ({ ...e, path: e.path.replace(/^top/, 'in') }));
          const { paths, above, joined, renamed, tooLong } = mapNames(tree, { folder: 'top', under }, holds, existing);
          const taken = new Map(existing.map((e) => [e.path.toUpperCase(), e.kind]));
          for (const path of above) {
            expect(taken.has(path.toUpperCase())).toBe(false);
            taken.set(path.toUpperCase(), 'folder');
          }
          for (const { path, kind: what } of tree) {
            const to = paths.get(path)!;
            const name = to.slice(to.lastIndexOf('/') + 1);
            if (!tooLong.includes(path)) expect([undefined, 'length']).toContain(holds.nameFault(name));
            if (joined.has(path)) expect([taken.get(to.toUpperCase()), what]).toEqual(['folder', 'folder']);
            else expect(taken.has(to.toUpperCase())).toBe(false);
            taken.set(to.toUpperCase(), what);
            if (path !== 'top') expect(parentOf(to)).toBe(paths.get(parentOf(path)));
            else if (above.length === 0 && parentOf(under)) expect(taken.has(parentOf(to).toUpperCase())).toBe(true);
            if (!renamed.includes(path) && path !== 'top' && !joined.has(path))
              expect(name).toBe(path.slice(path.lastIndexOf('/') + 1));
          }
        },
      ),
    );
  });
});
