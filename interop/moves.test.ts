/** Volumes carried to other places, shrunk and grown on the way, by independent readers. */
import { writeFileSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { filesOf, mmls, read, scratch, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

const fill = (count: number) => [
  { folder: 'f', count, name: '{word} {nn}.bin', smallest: '1 KiB', largest: '300 KiB', near: 0.4, fragments: 3 },
];
const VOLUMES = [
  { size: '30 MiB', fileSystem: 'ntfs', label: 'ONE', fill: fill(20) },
  { size: '24 MiB', fileSystem: 'exfat', label: 'TWO', fill: fill(14) },
  { size: '40 MiB', fileSystem: 'fat32', label: 'THREE', fill: fill(18) },
  { size: '12 MiB', fileSystem: 'fat16', label: 'FOUR', fill: fill(9) },
];

function made(table: 'mbr' | 'gpt', name: string = table, size = '160 MiB', volumes: object[] = VOLUMES): string {
  const recipe = box.path(`${name}.json`);
  writeFileSync(recipe, JSON.stringify({ version: 1, id: name, name, medium: 'hdd', size, table, volumes }));
  const image = box.path(`${name}.img`);
  expect(ullager('make', recipe, '--out', image).code).toBe(0);
  return image;
}

function run(image: string, volumes: readonly object[], more: object = {}): string {
  const target = box.path('target.json');
  writeFileSync(target, JSON.stringify({ volumes, ...more }));
  const { code, err, out } = ullager('run', image, '--target', target, '--in-place');
  expect(code, err + out).toBe(0);
  return out;
}

const filesIn = (image: string, number: number) => filesOf(image, number).map((f) => [f.path, f.sha256]);
const starts = (image: string): number[] =>
  mmls(image)
    .filter((p) => !/Unallocated|Meta|Safety|Table|Extended|Header/i.test(p.description))
    .map((p) => p.start);

/** Files that `fls` lists as there in the volume that begins at a sector. */
const listed = (image: string, start: number): number =>
  read('fls', ['-r', '-p', '-o', `${start}`, image])
    .split('\n')
    .filter((line) => /^r\/r [^*]/.test(line) && /\.bin$/.test(line)).length;

describe('volumes that were moved', () => {
  it.each(['mbr', 'gpt'] as const)('are read by all on a disk with %s, as they were', (table) => {
    const image = made(table);
    const before = VOLUMES.map((_, i) => filesIn(image, i + 1));
    // The order turned round, one smaller, one larger: each has to make room for another.
    run(image, [{ keep: 4 }, { keep: 3 }, { keep: 2, size: '30 MiB' }, { keep: 1, size: '24 MiB' }]);
    const counts = [9, 18, 14, 20];
    for (const [i, was] of [3, 2, 1, 0].entries()) expect(filesIn(image, i + 1)).toEqual(before[was]);
    expect(ullager('check', image).code).toBe(0);
    expect(starts(image).map((start) => listed(image, start))).toEqual(counts);
    for (const [i, start] of starts(image).entries()) {
      const stat = read('fsstat', ['-o', `${start}`, image]);
      expect(stat).toMatch(['FAT16', 'FAT32', 'exFAT', 'NTFS'].map((name) => new RegExp(name, 'i'))[i]!);
      if (i < 2) expect(stat).toMatch(new RegExp(`Sectors before file system: ${start}`));
    }
    // Entries keep their slots, and this reader takes only a master boot record in disk order.
    if (table === 'gpt') expect(read('7zz', ['l', '-tgpt', image])).toMatch(/ntfs|Basic/i);
    // A shift over its own old place, both ways.
    run(image, [{ gap: '3 MiB' }, { keep: 1 }, { keep: 2 }, { keep: 3 }, { keep: 4 }]);
    run(image, [{ keep: 1, start: '1 MiB' }, { keep: 2 }, { keep: 3 }, { keep: 4, size: 'rest' }]);
    for (const [i, was] of [3, 2, 1, 0].entries()) expect(filesIn(image, i + 1)).toEqual(before[was]);
    expect(starts(image).map((start) => listed(image, start))).toEqual(counts);
  });
});

describe('volumes on a disk that is full', () => {
  it('change places while others are smaller for a time, and are read by all as they were', () => {
    const image = made('gpt', 'full', '108 MiB');
    const before = VOLUMES.map((_, i) => filesIn(image, i + 1));
    const out = run(image, [{ keep: 2 }, { keep: 1 }, { keep: 3 }, { keep: 4 }]);
    expect(out).toMatch(/for a time|made .* long on the way/);
    for (const [i, was] of [1, 0, 2, 3].entries()) expect(filesIn(image, i + 1)).toEqual(before[was]);
    expect(ullager('check', image).code).toBe(0);
    expect(starts(image).map((start) => listed(image, start))).toEqual([14, 20, 18, 9]);
  });

  it.each([
    ['ntfs', 16],
    ['ext4', 13],
  ])('give folders of %s a volume of their own in rounds', (fileSystem, each) => {
    const folders = ['Beech', 'Cedar', 'Elm', 'Fir'];
    const tree = folders.map((folder, i) => {
      const sizes = { smallest: '400 KiB', largest: '900 KiB', fragments: 2, near: i / 4 };
      return { folder, count: each, name: '{nn} {word}.bin', ...sizes };
    });
    const volume = { size: 'rest', fileSystem, label: 'OLD', fill: [...tree, ...fill(5)] };
    const image = made('gpt', `rounds-${fileSystem}`, '66 MiB', [volume]);
    const before = new Map(filesOf(image, 1).map((f) => [f.path, f.sha256]));
    const own = { create: fileSystem, size: 'rest', label: 'TREES', as: 'own' };
    const transfers = folders.map((folder) => ({ from: { volume: 1 }, to: 'own', folder, then: 'remove' }));
    const out = run(image, [{ keep: 1, size: '14 MiB' }, own], { transfers });
    expect(out.match(/Shrink OLD/g)!.length).toBeGreaterThan(1);
    const after = new Map([1, 2].flatMap((n) => filesOf(image, n).map((f) => [f.path, f.sha256] as const)));
    expect(after).toEqual(before);
    expect(ullager('check', image).code).toBe(0);
    expect(starts(image).map((start) => listed(image, start))).toEqual([5, 4 * each]);
  });
});
