/** What was copied from another disk, and what went from volume to volume, by independent readers. */
import { copyFileSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { DEEP } from '@/core/fixtures/rounds';
import { afterAll, describe, expect, it } from 'vitest';
import { filesOf, fls, icat, read, scratch, starts, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

const KINDS = ['ntfs', 'exfat', 'fat32'] as const;
const fill = (count: number) => [
  { folder: 'f/g', count, name: '{word} {nn}.bin', smallest: '100', largest: '300 KiB', near: 0.4, fragments: 3 },
];

function make(name: string, size: string, table: 'mbr' | 'gpt', volumes: readonly object[]): string {
  const recipe = box.path(`${name}.json`);
  writeFileSync(recipe, JSON.stringify({ version: 1, id: name, name, medium: 'hdd', size, table, volumes }));
  const image = box.path(`${name}.img`);
  expect(ullager('make', recipe, '--out', image).code).toBe(0);
  return image;
}

function run(image: string, target: object, ...more: string[]): void {
  const path = box.path('target.json');
  writeFileSync(path, JSON.stringify(target));
  const { code, err, out } = ullager('run', image, '--target', path, '--in-place', ...more);
  expect(code, err + out).toBe(0);
  expect(ullager('check', image).code).toBe(0);
}

/** Path and digest of every file that was made up, by the independent reader. */
function byReader(image: string, start: number): [string, string][] {
  return [...fls(image, start)]
    .filter(([path]) => path.endsWith('.bin'))
    .map(([path, inode]): [string, string] => [path, icat(image, start, inode)])
    .sort();
}

const bins = (image: string, number: number): [string, string][] =>
  filesOf(image, number)
    .filter((f) => f.path.endsWith('.bin'))
    .map((f): [string, string] => [f.path, f.sha256!])
    .sort();

describe('volumes copied from another disk', () => {
  it('are read by all, smaller, as long and larger, each with a serial of its own', () => {
    const volumes = KINDS.map((fileSystem, i) => ({ size: '40 MiB', fileSystem, label: `V${i}`, fill: fill(12) }));
    const old = make('old', '126 MiB', 'mbr', volumes);
    const fresh = make('fresh', '200 MiB', 'gpt', []);
    const sizes = ['30 MiB', '40 MiB', '60 MiB'];
    const copies = sizes.map((size, i) => ({ copy: i + 1, from: 'old', size }));
    run(fresh, { volumes: copies }, '--with', `old=${old}`);
    const serial = (image: string, start: number): string =>
      /(?:Volume Serial Number|Volume ID).*?: (.*)/.exec(read('fsstat', ['-o', `${start}`, image]))?.[1] ?? '';
    for (const [i, start] of starts(fresh).entries()) {
      expect(byReader(fresh, start)).toEqual(bins(old, i + 1));
      expect(serial(fresh, start)).not.toBe(serial(old, starts(old)[i]!));
    }
  });
});

describe('folders moved from another disk', () => {
  it.each([
    ['ntfs', 'exfat'],
    ['fat32', 'ntfs'],
    ['exfat', 'fat32'],
  ] as const)('from %s to %s are read by all at their new place, and nowhere else, on both disks', (from, to) => {
    const old = make(`away-${from}`, '92 MiB', 'mbr', [
      { size: '44 MiB', fileSystem: from, label: 'FROM', fill: fill(15) },
      { size: '44 MiB', fileSystem: 'ntfs', label: 'BESIDE', fill: fill(9) },
    ]);
    const image = make(`home-${to}`, '64 MiB', 'gpt', []);
    const [before, beside] = [bins(old, 1), bins(old, 2)];
    const kept = box.path('away-before.img');
    copyFileSync(old, kept);
    const target = {
      volumes: [{ create: to, size: '50 MiB', as: 'to' }],
      transfers: [{ from: { disk: 'old', volume: 1 }, folder: 'f', to: 'to', under: 'kept/f', then: 'remove' }],
    };
    run(image, target, '--with', `old=${old}`);
    expect(byReader(image, starts(image)[0]!)).toEqual(before.map(([path, sha]) => [`kept/${path}`, sha]).sort());
    const [first, second] = starts(old) as [number, number];
    expect(byReader(old, first)).toEqual([]);
    expect(byReader(old, second)).toEqual(beside);
    expect(ullager('check', old).code).toBe(0);
    expect(ullager('run', image, '--in-place', '--rewind', '--with', `old=${old}`).code).toBe(0);
    expect(Buffer.compare(readFileSync(old), readFileSync(kept))).toBe(0);
  });
});

describe('folders that went to another volume', () => {
  const all = KINDS.flatMap((from) => KINDS.map((to) => [from, to] as const));
  // Every kind as what it comes from and as where it goes; all pairs are in the deep tier, and cut in the unit tests.
  const pairs = DEEP
    ? all
    : all.filter(([from, to]) => ['ntfs ntfs', 'ntfs fat32', 'exfat ntfs', 'fat32 exfat'].includes(`${from} ${to}`));
  it.each(pairs)('from %s to %s are read by all, and nowhere else', (from, to) => {
    const volumes = [
      { size: '44 MiB', fileSystem: from, label: 'FROM', fill: fill(15) },
      {
        size: '44 MiB',
        fileSystem: to,
        label: 'TO',
        fill: [{ folder: 'own', count: 3, name: 'o{n}.bin', smallest: '5 KiB', largest: '9 KiB' }],
      },
    ];
    const image = make(`${from}-${to}`, '92 MiB', 'gpt', volumes);
    const [before, own] = [bins(image, 1), bins(image, 2)];
    const keep = [{ keep: 1 }, { keep: 2, as: 'to', letter: 'E' }];
    const wish = { from: { volume: 1 }, folder: 'f', to: 'to', under: 'kept/f', then: 'remove' };
    run(image, { volumes: keep, transfers: [{ ...wish, ...(from === 'ntfs' ? { leave: 'link' } : {}) }] });
    const [first, second] = starts(image) as [number, number];
    expect(byReader(image, second)).toEqual([...own, ...before.map(([path, sha]) => [`kept/${path}`, sha])].sort());
    expect(byReader(image, first)).toEqual([]);
    if (from === 'ntfs') expect(read('fls', ['-o', `${first}`, image])).toMatch(/ \d+-144-\d+:\s+f$/m);
  });

  it('that is more than is free went in parts, and is read by all', () => {
    const folders = ['Beech', 'Cedar', 'Elm', 'Fir', 'Hazel', 'Larch'].map((name, i) => ({
      folder: `Trees/${name}`,
      ...{ count: 14, name: '{nn} {word}.bin', smallest: '300 KiB', largest: '900 KiB', near: i / 6, fragments: 2 },
    }));
    const image = make('parts', '66 MiB', 'gpt', [{ size: 'rest', fileSystem: 'ntfs', label: 'OLD', fill: folders }]);
    const before = bins(image, 1);
    const target = {
      volumes: [
        { keep: 1, size: '14 MiB' },
        { create: 'ntfs', size: 'rest', label: 'TREES', letter: 'E', as: 'own' },
      ],
      transfers: [{ from: { volume: 1 }, folder: 'Trees', to: 'own', then: 'remove', leave: 'link' }],
    };
    writeFileSync(box.path('parts.json'), JSON.stringify(target));
    expect(ullager('plan', image, '--target', box.path('parts.json')).out).toMatch(/Copy a part of Trees from OLD/);
    run(image, target);
    const [first, second] = starts(image) as [number, number];
    expect(byReader(image, first)).toEqual([]);
    expect(byReader(image, second)).toEqual(before);
    expect(read('fls', ['-o', `${first}`, image])).toMatch(/ \d+-144-\d+:\s+Trees$/m);
  });

  it('that is one file larger than can be given went by way of a scratch file, and is read by all', () => {
    const fills = [
      { folder: 'Trees', count: 1, name: 'whole.bin', smallest: '38 MiB', largest: '38 MiB', fragments: 3 },
      { folder: 'Stays', count: 5, name: '{n}.bin', smallest: '4 KiB', largest: '90 KiB', near: 0.9 },
    ];
    const image = make('large', '66 MiB', 'gpt', [{ size: 'rest', fileSystem: 'ntfs', label: 'OLD', fill: fills }]);
    const before = bins(image, 1);
    const original = readFileSync(image);
    const own = { create: 'ext4', size: 'rest', label: 'TREES', as: 'own' };
    const target = {
      volumes: [{ keep: 1, size: '14 MiB' }, own],
      transfers: [{ from: { volume: 1 }, folder: 'Trees', to: 'own', then: 'remove' }],
    };
    const aside = box.path('large.aside');
    run(image, target, '--scratch', aside);
    expect(existsSync(aside)).toBe(false);
    const [first, second] = starts(image) as [number, number];
    expect([...byReader(image, first), ...byReader(image, second)].sort()).toEqual(before);
    expect(byReader(image, second)).toHaveLength(1);
    expect(ullager('run', image, '--in-place', '--rewind').code).toBe(0);
    expect(Buffer.compare(readFileSync(image), original)).toBe(0);
  });

  it('that is parked is on its volume as before, and nowhere else', () => {
    const volumes = ['PART', 'PARK'].map((label) => ({ size: '40 MiB', fileSystem: 'ntfs', label, fill: fill(12) }));
    const image = make('parked', '84 MiB', 'gpt', volumes);
    const before = [bins(image, 1), bins(image, 2)];
    const wish = { from: { volume: 1 }, folder: 'f', to: 'park', under: 'meanwhile', then: 'back' };
    run(image, {
      volumes: [
        { keep: 1, size: '36 MiB' },
        { keep: 2, as: 'park' },
      ],
      transfers: [wish],
    });
    expect(starts(image).map((start) => byReader(image, start))).toEqual(before);
  });

  it.each([
    ['ntfs', 'exfat', false],
    ['ntfs', 'ntfs', true],
    ['exfat', 'exfat', true],
    ['ext4', 'ext4', true],
  ] as const)(
    'of a volume that goes are merged into the one before, which takes its room, %s and %s',
    (first, second, lies) => {
      const volumes = [first, second].map((fileSystem, i) => ({
        size: '44 MiB',
        fileSystem,
        label: `V${i}`,
        fill: fill(9 + i),
      }));
      const image = make(`merge-${first}-${second}`, '92 MiB', 'mbr', volumes);
      const kept = box.path('merge-before.img');
      copyFileSync(image, kept);
      const transfers = [{ from: { volume: 2 }, folder: '', to: 'all', under: 'second', then: 'remove' }];
      const target = { volumes: [{ keep: 1, size: 'rest', as: 'all' }], remove: [2], transfers };
      writeFileSync(box.path('merge.json'), JSON.stringify(target));
      const { out } = ullager('plan', image, '--target', box.path('merge.json'), '--json');
      expect((JSON.parse(out) as { total: { carries: number } }).total.carries === 0).toBe(lies);
      run(image, target);
      const other = bins(kept, 2).map(([path, sha]): [string, string] => [`second/${path}`, sha]);
      expect(byReader(image, starts(image)[0]!)).toEqual([...bins(kept, 1), ...other].sort());
      expect(read('fsstat', ['-o', `${starts(image)[0]!}`, image])).toMatch(new RegExp(first, 'i'));
    },
  );
});
