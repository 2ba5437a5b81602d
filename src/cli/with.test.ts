/** Volumes of other disks, given with --with: planned, run, taken up, and refused. */
import { copyFileSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { beforeAll, describe, expect, it } from 'vitest';
import { boxOf, printed } from './fixtures/verbs';
import { fail } from './output';
import { files, inspect } from './verbs/look';
import { plan } from './verbs/plan';
import { make } from './verbs/make';
import { run } from './verbs/run';

const { path, json } = boxOf('ullager-with-');
const io = printed();

const [old, fresh] = [path('old.img'), path('fresh.img')];
const target = json('copy.json', {
  table: 'gpt',
  volumes: [
    { copy: 1, from: 'old', size: '20 MiB', label: 'FIRST', as: 'first' },
    { copy: 2, from: 'old', size: 'rest' },
  ],
});
const withOld = [`old=${old}`];

beforeAll(async () => {
  const fill = [{ folder: 'x', count: 12, name: 'f{nn}.bin', smallest: '2 KiB', largest: '90 KiB', fragments: 2 }];
  const disk = { version: 1, medium: 'hdd' };
  const volumes = [
    { size: '12 MiB', fileSystem: 'ntfs', label: 'ONE', fill },
    { size: '8 MiB', fileSystem: 'exfat', label: 'TWO', fill },
  ];
  await make(json('old.json', { ...disk, id: 'old', name: 'old', size: '24 MiB', table: 'mbr', volumes }), {
    out: old,
  });
  const empty = { ...disk, id: 'new', name: 'new', size: '64 MiB', table: 'mbr', volumes: [] };
  await make(json('new.json', empty), { out: fresh });
});

/** Without listing the difference of large files. */
const isSame = (name: string, bytes: Buffer): boolean => Buffer.compare(readFileSync(name), bytes) === 0;

async function filesOf(image: string, volume: string): Promise<unknown> {
  io.out = '';
  await files(image, { json: true, volume });
  return JSON.parse(io.out).files;
}

describe('volumes of another disk', () => {
  it('are copied to a disk that gets a table, and neither file that is read changes', async () => {
    const before = [readFileSync(old), readFileSync(fresh)];
    expect(await plan(fresh, { target, with: withOld, json: true })).toBe(0);
    const planned = JSON.parse(io.out);
    expect(planned.steps.filter((s: { kind: string }) => s.kind === 'copy')).toHaveLength(2);
    expect(planned.total.carries).toBeGreaterThan(0);
    const made = path('made.img');
    expect(await run(fresh, { target, with: withOld, out: made })).toBe(0);
    io.out = '';
    await inspect(made, { json: true });
    expect(JSON.parse(io.out).volumes).toMatchObject([
      { fileSystem: 'ntfs', label: 'FIRST', size: { bytes: 20 * 1024 * 1024 }, fault: null },
      { fileSystem: 'exfat', label: 'TWO', fault: null },
    ]);
    for (const volume of ['1', '2']) expect(await filesOf(made, volume)).toEqual(await filesOf(old, volume));
    expect([isSame(old, before[0]!), isSame(fresh, before[1]!)]).toEqual([true, true]);
  });

  it('are copied in place, taken up with the same disk only, and taken back', async () => {
    const image = path('place.img');
    copyFileSync(fresh, image);
    const stop = setInterval(() => existsSync(`${image}.ullager-journal`) && process.emit('SIGINT'), 1);
    const code = await run(image, { target, with: withOld, inPlace: true }).catch(fail);
    clearInterval(stop);
    expect([code, io.err]).toEqual([1, expect.stringMatching(/stopped safely/)]);
    expect(await run(image, { resume: true, inPlace: true }).catch(fail)).toBe(2);
    expect(io.err).toMatch(/--with old=FILE/);
    expect(await run(image, { resume: true, inPlace: true, with: [`old=${fresh}`] }).catch(fail)).toBe(1);
    expect(await run(image, { resume: true, inPlace: true, with: withOld })).toBe(0);
    expect(await filesOf(image, '1')).toEqual(await filesOf(old, '1'));
    expect(await run(image, { rewind: true, inPlace: true })).toBe(0);
    expect(isSame(image, readFileSync(fresh))).toBe(true);
  });

  it.each([
    ['no disk of the name', [`other=${old}`], 2, /no disk is called old/],
    ['one that is not NAME=FILE', [old], 2, /NAME=FILE/],
    ['a name that means something else', [`here=${old}`], 2, /another name/],
    ['a name twice', [`old=${old}`, `old=${fresh}`], 2, /Two disks/],
    ['a file that is not there', ['old=/nowhere/at all'], 2, /not there/],
    ['the file that would be written', [`old=${fresh}`], 2, /is .* itself/],
  ])('are refused with %s', async (_, named, code, words) => {
    const before = readFileSync(fresh);
    expect(await run(fresh, { target, with: named, inPlace: true }).catch(fail)).toBe(code);
    expect(io.err).toMatch(words);
    expect(isSame(fresh, before)).toBe(true);
    expect(existsSync(`${fresh}.ullager-journal`)).toBe(false);
  });

  it('are refused where there is no such volume, or it does not fit', async () => {
    const none = json('none.json', { volumes: [{ copy: 3, from: 'old' }] });
    expect(await run(fresh, { target: none, with: withOld, out: path('no.img') }).catch(fail)).toBe(2);
    expect(io.err).toMatch(/no volume 3 on old/);
    const tight = json('tight.json', { volumes: [{ copy: 1, from: 'old', size: '300000 B' }] });
    expect(await run(fresh, { target: tight, with: withOld, out: path('no.img') }).catch(fail)).toBe(1);
    expect(io.err).toMatch(/below the floor/);
    expect(existsSync(path('no.img'))).toBe(false);
  });
});

it('a volume in sectors of another size is made anew, told before, and every file is carried', async () => {
  const coarse = path('coarse.img');
  const empty = {
    version: 1,
    medium: 'ssd',
    id: 'c',
    name: 'c',
    size: '64 MiB',
    sectorSize: 4096,
    table: 'gpt',
    volumes: [],
  };
  await make(json('coarse.json', empty), { out: coarse });
  expect(await plan(coarse, { target, with: withOld, json: true })).toBe(0);
  expect(JSON.parse(io.out.slice(io.out.indexOf('{'))).notes).toEqual([
    expect.stringMatching(/sectors of 512 bytes: it is made anew for 4096/),
    expect.stringMatching(/TWO/),
  ]);
  const made = path('coarse-made.img');
  expect(await run(coarse, { target, with: withOld, out: made })).toBe(0);
  const shas = async (image: string, volume: string) =>
    ((await filesOf(image, volume)) as { path: string; sha256?: string }[]).map((f) => [f.path, f.sha256]).sort();
  for (const volume of ['1', '2']) expect(await shas(made, volume)).toEqual(await shas(old, volume));
});

const taking = (then: 'keep' | 'remove', folder = 'x') =>
  json(`${then}-${folder}.json`, {
    table: 'gpt',
    volumes: [{ create: 'exfat', size: '20 MiB', as: 'data' }],
    transfers: [{ from: { disk: 'old', volume: 1 }, folder, to: 'data', under: `from old/${folder}`, then }],
  });

describe('folders of another disk', () => {
  it('are copied to a new volume', async () => {
    const made = path('moved.img');
    expect(await run(fresh, { target: taking('keep'), with: withOld, out: made })).toBe(0);
    const found = (await filesOf(made, '1')) as { path: string; kind: string }[];
    expect(found.filter((f) => f.kind === 'file')).toHaveLength(12);
    expect(found.every((f) => f.path === 'from old' || f.path.startsWith('from old/x'))).toBe(true);
  });

  it('are taken away there only by a run in place, and never from a packed image', async () => {
    const before = readFileSync(old);
    const target = taking('remove');
    expect(await run(fresh, { target, with: withOld, out: path('no.img') }).catch(fail)).toBe(1);
    expect(io.err).toMatch(/old, which is only read where --out is said/);
    expect(existsSync(path('no.img'))).toBe(false);
    const packed = path('old.img.gz');
    writeFileSync(packed, gzipSync(before));
    const [place, zipped] = [path('unchanged.img'), readFileSync(packed)];
    copyFileSync(fresh, place);
    expect(await run(place, { target, with: [`old=${packed}`], inPlace: true }).catch(fail)).toBe(2);
    expect(io.err).toMatch(/old is packed/);
    expect([isSame(old, before), isSame(place, readFileSync(fresh)), isSame(packed, zipped)]).toEqual([
      true,
      true,
      true,
    ]);
    expect(existsSync(`${place}.ullager-journal`)).toBe(false);
  });

  it('are moved in place, both disks proven, and all of it is taken back with both disks only', async () => {
    const [place, source] = [path('both.img'), path('both-old.img')];
    copyFileSync(fresh, place);
    copyFileSync(old, source);
    const named = [`old=${source}`];
    const stays = await filesOf(source, '2');
    const shas = async (image: string, volume: string) =>
      ((await filesOf(image, volume)) as { path: string; sha256?: string }[]).flatMap((f) => f.sha256 ?? []).sort();
    const wanted = await shas(source, '1');
    expect(await run(place, { target: taking('remove'), with: named, inPlace: true })).toBe(0);
    expect(io.out).toMatch(/ONE of old: 0 files/);
    expect(await shas(place, '1')).toEqual(wanted);
    expect(await filesOf(source, '1')).toEqual([]);
    expect(await filesOf(source, '2')).toEqual(stays);
    expect(await run(place, { rewind: true, inPlace: true }).catch(fail)).toBe(2);
    expect(io.err).toMatch(/--with old=FILE/);
    expect(await run(place, { rewind: true, inPlace: true, with: withOld }).catch(fail)).toBe(1);
    expect(await shas(place, '1')).toEqual(wanted);
    expect(await run(place, { rewind: true, inPlace: true, with: named })).toBe(0);
    expect([isSame(place, readFileSync(fresh)), isSame(source, readFileSync(old))]).toEqual([true, true]);
  });

  it('are moved by a run that was stopped anywhere, taken up or taken back', async () => {
    for (const [at, back] of [
      [40, false],
      [90, true],
      [140, false],
      [400, true],
    ] as const) {
      const [place, source] = [path(`cut-${at}.img`), path(`cut-old-${at}.img`)];
      copyFileSync(fresh, place);
      copyFileSync(old, source);
      const named = [`old=${source}`];
      // After so many milliseconds from when the journal is there.
      const began = (): boolean => existsSync(`${place}.ullager-journal`);
      let since: number | undefined;
      const stop = setInterval(() => {
        if (began()) since ??= Date.now();
        if (since !== undefined && Date.now() - since >= at) process.emit('SIGINT');
      }, 1);
      const code = await run(place, { target: taking('remove'), with: named, inPlace: true }).catch(fail);
      clearInterval(stop);
      if (back) {
        expect(await run(place, { rewind: true, inPlace: true, with: named }).catch(fail)).toBe(0);
        expect([isSame(place, readFileSync(fresh)), isSame(source, readFileSync(old))]).toEqual([true, true]);
        continue;
      }
      if (code !== 0) expect(await run(place, { resume: true, inPlace: true, with: named })).toBe(0);
      expect(await filesOf(source, '1')).toEqual([]);
      expect(await filesOf(place, '1')).toHaveLength(14);
    }
  });

  it('are not touched while a run on their disk is half way', async () => {
    const [place, source] = [path('half.img'), path('half-old.img')];
    copyFileSync(fresh, place);
    copyFileSync(old, source);
    const smaller = json('smaller.json', { volumes: [{ keep: 1, size: '9 MiB' }, { keep: 2 }] });
    const stop = setInterval(() => existsSync(`${source}.ullager-journal`) && process.emit('SIGINT'), 1);
    expect(await run(source, { target: smaller, inPlace: true }).catch(fail)).toBe(1);
    clearInterval(stop);
    for (const then of ['keep', 'remove'] as const) {
      expect(await run(place, { target: taking(then), with: [`old=${source}`], inPlace: true }).catch(fail)).toBe(1);
      expect(io.err).toMatch(/unfinished|is next/);
    }
    expect(await run(source, { resume: true, inPlace: true })).toBe(0);
    expect(await run(place, { target: taking('remove'), with: [`old=${source}`], inPlace: true })).toBe(0);
  });
});
