/** Finding by path comes to what a walk over all of them finds. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { Owner } from './owner';
import { PathIndex } from './path-index';

const name = fc.constantFrom('a', 'A', 'a b', 'a!', 'b', 'B (further data)', 'ab', '~', '植物');
const path = fc.array(name, { minLength: 1, maxLength: 3 }).map((names) => names.join('/'));
const owner = fc.record({ path, kind: fc.constantFrom('file', 'folder', 'other'), setBytes: fc.constantFrom(0, 96) });
const fold = (text: string): string => text.toUpperCase();

it('an entry, and all that begin like it, whatever stands beside', () => {
  fc.assert(
    fc.property(fc.array(owner, { maxLength: 40 }), path, (all, asked) => {
      const owners = all.map(({ path: own, kind, setBytes }) => ({ path: own, kind, at: { setBytes } }) as Owner);
      const index = new PathIndex(owners, fold);
      const listed = owners.filter((o) => o.at!.setBytes > 0);
      const same = listed.filter((o) => fold(o.path) === fold(asked) && o.kind !== 'other');
      const found = index.entry(fold(asked));
      expect(found === undefined).toBe(same.length === 0);
      if (found) expect(same).toContain(found);
      for (const text of [fold(asked), `${fold(asked)}/`]) {
        const wanted = listed.filter((o) => fold(o.path).startsWith(text));
        const begun = [...index.beginning(text)];
        expect(begun).toHaveLength(wanted.length);
        expect(new Set(begun)).toEqual(new Set(wanted));
      }
    }),
  );
});
