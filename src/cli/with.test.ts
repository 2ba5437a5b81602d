/** Volumes of other disks, given with --with: planned, run, taken up, and refused. */
import { copyFileSync, existsSync, readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { boxOf, printed } from './fixtures/verbs';
import { fail } from './output';
import { files, inspect, plan } from './verbs/look';
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

it('folders go to a new volume, and from another disk, and are only taken away where that is written', async () => {
  const moved = json('moved.json', {
    table: 'gpt',
    volumes: [{ create: 'exfat', size: '20 MiB', as: 'data' }],
    transfers: [{ from: { disk: 'old', volume: 1 }, folder: '/x/', to: 'data', under: 'from old/x' }],
  });
  const made = path('moved.img');
  expect(await run(fresh, { target: moved, with: withOld, out: made })).toBe(0);
  const found = (await filesOf(made, '1')) as { path: string; kind: string }[];
  expect(found.filter((f) => f.kind === 'file')).toHaveLength(12);
  expect(found.every((f) => f.path === 'from old' || f.path.startsWith('from old/x'))).toBe(true);
  const taken = json('taken.json', {
    table: 'gpt',
    volumes: [{ create: 'exfat', size: '20 MiB', as: 'data' }],
    transfers: [{ from: { disk: 'old', volume: 1 }, folder: 'x', to: 'data', then: 'remove' }],
  });
  expect(await run(fresh, { target: taken, with: withOld, out: path('no.img') }).catch(fail)).toBe(1);
  expect(io.err).toMatch(/only read/);
  expect(existsSync(path('no.img'))).toBe(false);
});
