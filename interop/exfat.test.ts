/** exFAT volumes as made, at their floor and grown back, by independent readers. */
import { writeFileSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { few, filesOf, fls, icat, read, scratch, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

describe('independent readers', () => {
  it.each([
    [512, '8 MiB'],
    [4096, '60 MiB'],
    [131_072, '400 MiB'],
    [1_048_576, '900 MiB'],
  ])('read an exFAT volume with clusters of %i bytes, at its floor, and grown back', (clusterSize, size) => {
    const fill = [
      { file: 'note.txt', text: 'hello' },
      {
        folder: 'Bilder/植物園',
        count: 40,
        name: 'Ansicht {nnn} {word}.jpg',
        smallest: '1 KiB',
        largest: '60 KiB',
        fragments: 5,
      },
      {
        folder: 'many',
        count: 150,
        name: 'file-{nnnn} with a rather long name.txt',
        smallest: '1 B',
        largest: '2 KiB',
      },
      {
        folder: 'far',
        count: 20,
        name: 'Снимок-{n}.bin',
        smallest: '3 KiB',
        largest: '90 KiB',
        near: 0.8,
        fragments: 4,
      },
    ];
    const recipe = box.path(`${clusterSize}.json`);
    const volumes = [{ fileSystem: 'exfat', label: 'Karte', clusterSize, fill }];
    writeFileSync(
      recipe,
      JSON.stringify({ version: 1, id: 'exfat', name: 'exfat', medium: 'card', size, table: 'none', volumes }),
    );
    const image = box.path(`${clusterSize}.img`);
    expect(ullager('make', recipe, '--out', image).code).toBe(0);
    const before = filesOf(image);
    expect(before).toHaveLength(211);
    const agree = (): void => {
      expect(read('fsstat', [image])).toContain('File System Type: exFAT');
      const inodes = fls(image, 0);
      expect([...inodes.keys()].sort()).toEqual(before.map((f) => f.path).sort());
      for (const file of few(before)) expect(icat(image, 0, inodes.get(file.path)!), file.path).toBe(file.sha256);
      expect(read('grub-fstest', [image, 'cat', '(loop0)/note.txt'])).toBe('hello');
      expect(read('grub-fstest', [image, 'ls', '(loop0)/many/'])).toContain('file-0149 with a rather long name.txt');
    };
    agree();
    for (const wish of ['floor', 'rest']) {
      const target = box.path(`${clusterSize}-${wish}.json`);
      writeFileSync(target, JSON.stringify({ volumes: [{ keep: 1, size: wish, label: `now ${wish}` }] }));
      const run = ullager('run', image, '--target', target, '--in-place');
      expect(run.code, run.err).toBe(0);
      expect(ullager('check', image).out).toBe('Nothing found.\n');
      expect(filesOf(image)).toEqual(before);
      agree();
      expect(read('fsstat', [image])).toContain(`now ${wish}`);
    }
  });
});
