import { writeFileSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { few, filesOf, fls, icat, read, scratch, ullager, unpacked, type FileLine } from './readers';

const box = scratch();
afterAll(() => box.remove());

/** Every reader finds every file with the right content. */
function readersAgree(image: string, files: readonly FileLine[], largeClusters: boolean): void {
  expect(read('fsstat', [image])).toContain('File System Type: NTFS');
  const views = ['$Quota:$O', '$Quota:$Q', '$ObjId:$O', '$Reparse:$R'];
  for (const view of views) expect(read('fls', ['-r', '-p', image])).toContain(`$Extend/${view}`);
  const inodes = fls(image, 0, largeClusters);
  expect([...inodes.keys()].sort()).toEqual(files.map((f) => f.path).sort());
  for (const file of few(files)) expect(icat(image, 0, inodes.get(file.path)!), file.path).toBe(file.sha256);
  const listed = [...unpacked(image)].filter(([path]) => !path.startsWith('[SYSTEM]'));
  expect(listed.sort()).toEqual(files.map((f) => [f.path, f.sha256!] as [string, string]).sort());
  expect(read('grub-fstest', [image, 'cat', '(loop0)/note.txt'])).toBe('hello');
  expect(read('grub-fstest', [image, 'ls', '(loop0)/many/'])).toContain('file-0399.txt');
}

describe('independent readers', () => {
  it.each([
    [512, '40 MiB'],
    [4096, '120 MiB'],
    [65536, '300 MiB'],
  ])('read an NTFS volume with clusters of %i bytes, at its floor, and grown back', (clusterSize, size) => {
    const recipe = box.path(`${clusterSize}.json`);
    const fill = [
      { file: 'note.txt', text: 'hello' },
      {
        folder: 'Bilder/植物園',
        count: 60,
        name: 'Ansicht {nnn} {word}.jpg',
        smallest: '1 KiB',
        largest: '90 KiB',
        fragments: 6,
      },
      { folder: 'many', count: 400, name: 'file-{nnnn}.txt', smallest: '1 B', largest: '2 KiB' },
      {
        folder: 'far',
        count: 25,
        name: 'Снимок-{n}.bin',
        smallest: '3 KiB',
        largest: '200 KiB',
        near: 0.85,
        fragments: 5,
      },
    ];
    writeFileSync(
      recipe,
      JSON.stringify({
        version: 1,
        id: 'ntfs',
        name: 'ntfs',
        medium: 'ssd',
        size,
        table: 'none',
        volumes: [{ fileSystem: 'ntfs', label: 'Grüße', clusterSize, fill }],
      }),
    );
    const image = box.path(`${clusterSize}.img`);
    expect(ullager('make', recipe, '--out', image).code).toBe(0);
    const before = filesOf(image);
    expect(before).toHaveLength(486);
    readersAgree(image, before, clusterSize > 4096);
    for (const wish of ['floor', 'rest']) {
      const target = box.path(`${clusterSize}-${wish}.json`);
      writeFileSync(target, JSON.stringify({ volumes: [{ keep: 1, size: wish, label: `now ${wish}` }] }));
      const run = ullager('run', image, '--target', target, '--in-place');
      expect(run.code, run.err).toBe(0);
      expect(ullager('check', image).out).toBe('Nothing found.\n');
      expect(filesOf(image)).toEqual(before);
      readersAgree(image, before, clusterSize > 4096);
      expect(read('fsstat', [image])).toContain(`Volume Name: now ${wish}`);
    }
  });
});
