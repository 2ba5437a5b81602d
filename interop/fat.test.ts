import { closeSync, copyFileSync, openSync, readFileSync, readSync, writeFileSync, writeSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { filesOf, fls, icat, mmls, read, scratch, ullager, unpacked, type FileLine } from './readers';

const box = scratch();
afterAll(() => box.remove());

function recipe(name: string, table: 'mbr' | 'none', kind: string, size: string, extra: object = {}): string {
  const path = box.path(`${name}.json`);
  const fill = [
    { file: 'note.txt', text: 'hello' },
    {
      folder: 'Bilder/植物園',
      count: 40,
      name: 'Ansicht {nnn} {word}.jpg',
      smallest: '1 KiB',
      largest: '90 KiB',
      fragments: 4,
    },
    {
      folder: 'far',
      count: 15,
      name: 'Снимок-{n}.bin',
      smallest: '3 KiB',
      largest: '60 KiB',
      near: 0.85,
      fragments: 3,
    },
  ];
  const volumes = [{ fileSystem: kind, label: 'INTEROP', fill, ...extra }];
  writeFileSync(path, JSON.stringify({ version: 1, id: name, name, medium: 'usb', size, table, volumes }));
  return path;
}

function target(name: string, value: object): string {
  const path = box.path(`${name}.target.json`);
  writeFileSync(path, JSON.stringify(value));
  return path;
}

/** A volume of an image as a file of its own, for readers that want one. */
function cut(image: string, start: number, length: number): string {
  const path = `${image}.${start}.vol`;
  const [source, to] = [openSync(image, 'r'), openSync(path, 'w')];
  const buffer = Buffer.alloc(1 << 20);
  for (let done = 0; done < length;) {
    const n = readSync(source, buffer, 0, Math.min(buffer.length, length - done), start + done);
    if (n === 0) break;
    writeSync(to, buffer, 0, n);
    done += n;
  }
  closeSync(source);
  closeSync(to);
  return path;
}

/** Every reader finds every file with the right content. */
function readersAgree(image: string, startSector: number, lengthSectors: number, files: readonly FileLine[]): void {
  const inodes = fls(image, startSector);
  expect([...inodes.keys()].sort()).toEqual(files.map((f) => f.path).sort());
  for (const file of files.slice(0, 12))
    expect(icat(image, startSector, inodes.get(file.path)!), file.path).toBe(file.sha256);
  const volume = cut(image, startSector * 512, lengthSectors * 512);
  expect([...unpacked(volume)].sort()).toEqual(files.map((f) => [f.path, f.sha256!] as [string, string]).sort());
  expect(read('grub-fstest', [volume, 'ls', '(loop0)/'])).toContain('note.txt');
  expect(read('grub-fstest', [volume, 'cat', '(loop0)/note.txt'])).toBe('hello');
}

const CASES = [
  ['fat12', '12 MiB', '6 MiB', 'FAT12'],
  ['fat16', '80 MiB', '30 MiB', 'FAT16'],
  ['fat32', '400 MiB', '290 MiB', 'FAT32'],
] as const;

describe('independent readers', () => {
  it.each(CASES)('read both halves of a divided %s stick', (kind, size, keep, title) => {
    const image = box.path(`${kind}.img`);
    expect(ullager('make', recipe(kind, 'mbr', kind, size), '--out', image).code).toBe(0);
    const before = filesOf(image);
    const out = box.path(`${kind}-split.img`);
    const split = target(kind, {
      volumes: [
        { keep: 1, size: keep },
        { create: 'fat12', size: '4 MiB', label: 'second', letter: 'F' },
      ],
    });
    const run = ullager('run', image, '--target', split, '--out', out);
    expect(run.err).not.toMatch(/error/i);
    expect(run.code).toBe(0);
    const volumes = mmls(out);
    expect(volumes).toHaveLength(2);
    for (const { start } of volumes)
      expect(read('fsstat', ['-o', String(start), out])).toContain('File System Type: FAT');
    expect(read('fsstat', ['-o', String(volumes[0]!.start), out])).toContain(`File System Type: ${title}`);
    expect(filesOf(out)).toEqual(before);
    readersAgree(out, volumes[0]!.start, volumes[0]!.length, before);
    expect(ullager('check', out).code).toBe(0);
    expect(read('file', [out])).toContain('DOS/MBR boot sector');
  });

  it.each(CASES)('read a bare %s volume at its floor and grown back', (kind, size) => {
    const image = box.path(`${kind}-bare.img`);
    expect(ullager('make', recipe(`${kind}-bare`, 'none', kind, size), '--out', image).code).toBe(0);
    const before = filesOf(image);
    for (const wish of ['floor', 'rest']) {
      const run = ullager(
        'run',
        image,
        '--target',
        target(`${kind}-${wish}`, { volumes: [{ keep: 1, size: wish }] }),
        '--in-place',
      );
      expect(run.code, run.err).toBe(0);
      expect(ullager('check', image).code).toBe(0);
      expect(filesOf(image)).toEqual(before);
      readersAgree(image, 0, readFileSync(image).length / 512, before);
    }
  });

  it('read a volume whose tables had to grow', () => {
    const image = box.path('grow.img');
    const path = recipe('grow', 'mbr', 'fat16', '300 MiB', { size: '20 MiB', clusterSize: 4096 });
    expect(ullager('make', path, '--out', image).code).toBe(0);
    const before = filesOf(image);
    expect(
      ullager('run', image, '--target', target('grow', { volumes: [{ keep: 1, size: '200 MiB' }] }), '--in-place').code,
    ).toBe(0);
    const [volume] = mmls(image);
    expect(volume!.length).toBe(200 * 2048);
    expect(filesOf(image)).toEqual(before);
    readersAgree(image, volume!.start, volume!.length, before);
  });

  it('see the disk as it was after rewinding', () => {
    const image = box.path('rewind.img');
    expect(ullager('make', recipe('rewind', 'mbr', 'fat16', '40 MiB'), '--out', image).code).toBe(0);
    const original = box.path('rewind-original.img');
    copyFileSync(image, original);
    const split = target('rewind', {
      volumes: [
        { keep: 1, size: '16 MiB' },
        { create: 'fat16', label: 'more' },
      ],
    });
    expect(ullager('run', image, '--target', split, '--in-place').code).toBe(0);
    expect(Buffer.compare(readFileSync(image), readFileSync(original))).not.toBe(0);
    expect(ullager('run', image, '--in-place', '--rewind').code).toBe(0);
    expect(Buffer.compare(readFileSync(image), readFileSync(original))).toBe(0);
  });
});
