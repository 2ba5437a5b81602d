/** The runner with images that are packed, and with tables that change. */
import { copyFileSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { fail } from './output';
import { check, inspect } from './verbs/look';
import { convert, make } from './verbs/make';
import { run } from './verbs/run';

const box = mkdtempSync(join(tmpdir(), 'ullager-packed-'));
afterAll(() => rmSync(box, { recursive: true, force: true }));
const path = (name: string): string => join(box, name);

let out = '';
beforeEach(() => {
  out = '';
  vi.spyOn(process.stdout, 'write').mockImplementation((text) => ((out += String(text)), true));
  vi.spyOn(process.stderr, 'write').mockImplementation((text) => ((out += String(text)), true));
});
afterEach(() => vi.restoreAllMocks());

function json(name: string, value: unknown): string {
  writeFileSync(path(name), JSON.stringify(value));
  return path(name);
}

const fill = [{ folder: 'x', count: 8, name: 'f{nn}.bin', smallest: '2 KiB', largest: '60 KiB' }];
const volumes = ['A', 'B', 'C', 'D', 'E'].map((label) => ({ size: '6 MiB', fileSystem: 'exfat', label, fill }));
const recipe = { version: 1, id: 'packed', name: 'packed', medium: 'card', size: '48 MiB', table: 'mbr', volumes };
const keep = [1, 2, 3, 4, 5].map((n) => ({ keep: n }));

beforeAll(async () => {
  vi.spyOn(process.stdout, 'write').mockImplementation(() => true);
  await make(json('r.json', recipe), { out: path('disk.img') });
});

describe('a packed image', () => {
  it.each(['gz', 'qcow2'])('as %s is the same disk, there and back', async (ending) => {
    const packed = path(`disk.${ending}`);
    expect(await convert(path('disk.img'), { out: packed })).toBe(0);
    expect(statSync(packed).size).toBeLessThan(statSync(path('disk.img')).size);
    out = '';
    expect(await inspect(packed, { json: true })).toBe(0);
    const document = JSON.parse(out) as { volumes: { label: string }[] };
    expect(document.volumes.map((v) => v.label)).toEqual(['A', 'B', 'C', 'D', 'E']);
    const back = path(`back-${ending}.img`);
    expect(await convert(packed, { out: back })).toBe(0);
    expect(Buffer.compare(readFileSync(back), readFileSync(path('disk.img')))).toBe(0);
  });

  it('is divided into a new image, and never in place', async () => {
    const packed = path('run.gz');
    await convert(path('disk.img'), { out: packed });
    const before = readFileSync(packed);
    const target = json('gpt.json', { table: 'gpt', volumes: keep });
    expect(await run(packed, { target, inPlace: true }).catch(fail)).toBe(2);
    expect(await run(packed, { target, out: path('divided.img') })).toBe(0);
    expect(Buffer.compare(readFileSync(packed), before)).toBe(0);
    out = '';
    expect(await check(path('divided.img'), {})).toBe(0);
    expect(await convert(packed, { out: path('divided.img') }).catch(fail)).toBe(2);
  });
});

describe('a target with another table', () => {
  it('converts, marks for a check, and says what it did', async () => {
    copyFileSync(path('disk.img'), path('own.img'));
    const there = json('there.json', {
      table: 'gpt',
      volumes: [{ ...keep[0], label: 'FIRST' }, ...keep.slice(1)],
      checkAtNextStart: true,
    });
    expect(await run(path('own.img'), { target: there, inPlace: true })).toBe(0);
    expect(out).toContain('Convert the master boot record to a GUID table');
    expect(out).toContain('Have FIRST checked at its system’s next start');
    out = '';
    // The mark is what a check finds first.
    expect(await check(path('own.img'), {})).toBe(1);
    expect(out).toMatch(/volume 1 {2}exfat {2}error: The volume was not put away properly/);
    const mended = json('mend.json', { mendTable: true, volumes: keep });
    expect(await run(path('own.img'), { target: mended, inPlace: true, override: true })).toBe(0);
  });
});
