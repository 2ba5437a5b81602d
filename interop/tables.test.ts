/** Tables of both kinds, converted both ways, by independent readers. */
import { closeSync, openSync, writeFileSync, writeSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { filesOf, mmls, read, scratch, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

const fill = [{ folder: 'f', count: 12, name: '{word} {nn}.bin', smallest: '1 KiB', largest: '80 KiB' }];
const volume = (label: string) => ({ size: '16 MiB', fileSystem: 'exfat', label, fill });

function made(table: 'mbr' | 'gpt', count: number, sectorSize: number, name = 'convert'): string {
  const recipe = box.path(`${name}-${table}.json`);
  const volumes = Array.from({ length: count }, (_, i) => volume(`V${i + 1}`));
  const facts = {
    version: 1,
    id: 'tables',
    name: 'tables',
    medium: 'hdd',
    size: '140 MiB',
    table,
    sectorSize,
    volumes,
  };
  writeFileSync(recipe, JSON.stringify(facts));
  const image = box.path(`${name}-${table}.img`);
  expect(ullager('make', recipe, '--out', image).code).toBe(0);
  return image;
}

function convert(image: string, table: 'mbr' | 'gpt', count: number): void {
  const target = box.path('target.json');
  const keep = Array.from({ length: count }, (_, i) => ({ keep: i + 1 }));
  writeFileSync(target, JSON.stringify({ table, volumes: keep }));
  const run = ullager('run', image, '--target', target, '--in-place');
  expect(run.code, run.err + run.out).toBe(0);
}

const hashes = (image: string, count: number) =>
  Array.from({ length: count }, (_, i) => filesOf(image, i + 1).map((f) => [f.path, f.sha256]));
const starts = (image: string): number[] =>
  mmls(image)
    .filter((p) => !/Unallocated|Meta|Safety|Table|Extended|Header/i.test(p.description))
    .map((p) => p.start);

describe('independent readers', () => {
  it.each([
    ['mbr', 6],
    ['gpt', 6],
  ] as const)('read a disk with %s and six volumes, converted there and back', (first, count) => {
    const other = first === 'mbr' ? 'gpt' : 'mbr';
    const image = made(first, count, 512);
    const before = hashes(image, count);
    const places = starts(image);
    expect(places).toHaveLength(count);
    for (const table of [other, first] as const) {
      convert(image, table, count);
      expect(starts(image)).toEqual(places);
      expect(hashes(image, count)).toEqual(before);
      expect(ullager('check', image).code).toBe(0);
      expect(read('file', [image])).toMatch(table === 'gpt' ? /GPT|ID=0xee/i : /boot sector/);
      const listed = read('7zz', ['l', '-t' + table, image]);
      expect(listed.match(/^\d{4}-|^ {10,}.*\d+ +\d+ /gm)?.length ?? 0).toBeGreaterThanOrEqual(count);
    }
  });

  it('find the volumes from the backup when the first copy is gone, after it was mended', () => {
    const image = made('gpt', 3, 512, 'mend');
    const places = starts(image);
    const zeros = Buffer.alloc(16_384);
    const fd = openSync(image, 'r+');
    writeSync(fd, zeros, 0, zeros.length, 512);
    closeSync(fd);
    const target = box.path('mend.json');
    writeFileSync(target, JSON.stringify({ mendTable: true, volumes: [{ keep: 1 }, { keep: 2 }, { keep: 3 }] }));
    expect(ullager('check', image).out).toMatch(/damaged/);
    expect(ullager('run', image, '--target', target, '--in-place').code).toBe(0);
    expect(starts(image)).toEqual(places);
    expect(ullager('check', image).out).toBe('Nothing found.\n');
  });
});
