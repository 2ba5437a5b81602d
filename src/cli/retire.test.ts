/** The verbs around the dividing: find, scan, speed, check --mend, and targets that find and wipe. */
import { writeFileSync, readFileSync, existsSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { boxOf, printed } from './fixtures/verbs';
import { find, scan, speed } from './verbs/health';
import { check, inspect } from './verbs/look';
import { plan } from './verbs/plan';
import { make } from './verbs/make';
import { run } from './verbs/run';

const { path, json } = boxOf('ullager-retire-', true);
const told = printed();

const volume = (fileSystem: string, label: string) => ({
  size: '20 MiB',
  fileSystem,
  label,
  fill: [{ folder: 'a', count: 12, name: 'f{nn}.bin', smallest: '1 KiB', largest: '60 KiB' }],
});
const recipe = json('r.json', {
  ...{ version: 1, id: 'x', name: 'X', medium: 'usb', size: '64 MiB', table: 'mbr' },
  volumes: [volume('ntfs', 'ONE'), volume('ext4', 'TWO'), volume('exfat', 'THREE')],
});

async function image(name: string): Promise<string> {
  expect(await make(recipe, { out: path(name) })).toBe(0);
  return path(name);
}

const printedJson = (): never => {
  const document = JSON.parse(told.out) as never;
  told.out = '';
  return document;
};

/** What a verb prints as a document. */
async function shown(act: () => Promise<number>, code = 0): Promise<Record<string, unknown>> {
  told.out = '';
  expect(await act()).toBe(code);
  return printedJson();
}

describe('lost volumes', () => {
  it('are none on a sound disk; taken out of the table they are found, and put back', async () => {
    const whole = await image('a.img');
    expect(await shown(() => find(whole, { json: true }))).toMatchObject({ volumes: [] });
    const target = json('gone.json', { volumes: [{ keep: 1 }], remove: [2, 3] });
    expect(await run(whole, { target, out: path('b.img') })).toBe(0);
    expect(await shown(() => find(path('b.img'), { json: true }))).toMatchObject({
      volumes: [
        { number: 1, fileSystem: 'ext4', label: 'TWO', files: 12, whole: 12 },
        { number: 2, fileSystem: 'exfat', label: 'THREE', files: 12, whole: 12 },
      ],
    });
    const back = json('back.json', { volumes: [{ keep: 1 }, { find: 2, label: 'AGAIN' }, { find: 1 }] });
    expect(await run(path('b.img'), { target: back, out: path('c.img') })).toBe(0);
    const { volumes } = await shown(() => inspect(path('c.img'), { json: true }));
    expect((volumes as { label: string }[]).map((v) => v.label)).toEqual(['ONE', 'TWO', 'AGAIN']);
    const nobody = json('nobody.json', { volumes: [{ keep: 1 }, { find: 7 }] });
    expect(await plan(path('b.img'), { target: nobody })).toBe(2);
  });

  it('come back on a disk whose table is gone, into one that the target names', async () => {
    const bytes = readFileSync(await image('d.img'));
    bytes.fill(0xc7, 0, 512);
    writeFileSync(path('e.img'), bytes);
    await expect(inspect(path('e.img'), {})).rejects.toThrow(/not a disk image/);
    const input = { volumes: [{ find: 1 }, { find: 2 }, { find: 3 }] };
    expect(await plan(path('e.img'), { target: json('no-table.json', input) })).toBe(2);
    const target = json('table.json', { table: 'mbr', ...input });
    expect(await run(path('e.img'), { target, out: path('f.img') })).toBe(0);
    expect(await shown(() => inspect(path('f.img'), { json: true }))).toMatchObject({
      disk: { table: 'mbr' },
      volumes: [{ label: 'ONE' }, { label: 'TWO' }, { label: 'THREE' }],
    });
  });
});

describe('mending', () => {
  it('is told by check, and carried out by run', async () => {
    const bytes = readFileSync(await image('g.img'));
    bytes.fill(0, 1024 * 1024, 1024 * 1024 + 512);
    bytes.fill(0, 41 * 1024 * 1024, 41 * 1024 * 1024 + 6144);
    writeFileSync(path('h.img'), bytes);
    expect(await shown(() => inspect(path('h.img'), { json: true }))).toMatchObject({
      volumes: [
        { fileSystem: 'ntfs', label: 'ONE', files: 12, fault: expect.stringContaining('boot sector') },
        { fileSystem: 'ext4', fault: null },
        { fileSystem: 'exfat', label: 'THREE', files: 12 },
      ],
    });
    expect(await check(path('h.img'), { volume: '1' })).toBe(1);
    expect(told.out).toContain('ntfs');
    const document = await shown(() => check(path('h.img'), { mend: true, json: true }));
    expect((document.steps as { kind: string }[]).filter((s) => s.kind === 'mend')).toHaveLength(2);
    expect(await run(path('h.img'), { mend: true, out: path('i.img') })).toBe(0);
    expect(await check(path('i.img'), {})).toBe(0);
    expect(readFileSync(path('i.img')).equals(readFileSync(path('g.img')))).toBe(true);
    expect(await run(path('h.img'), { mend: true, inPlace: true })).toBe(0);
    expect(await run(path('h.img'), { inPlace: true, rewind: true })).toBe(0);
    expect(readFileSync(path('h.img')).equals(bytes)).toBe(true);
    await expect(run(path('h.img'), { mend: true, target: 'x', out: path('j.img') })).rejects.toThrow(/Say one of/);
  });
});

it('what has no second copy stays, is said, and is a no', async () => {
  const small = json('small.json', {
    ...{ version: 1, id: 'y', name: 'Y', medium: 'usb', size: '32 MiB', table: 'mbr' },
    volumes: [volume('fat16', 'ONLY')],
  });
  expect(await make(small, { out: path('n.img') })).toBe(0);
  const bytes = readFileSync(path('n.img'));
  bytes[1024 * 1024 + 16] = 9;
  writeFileSync(path('n.img'), bytes);
  expect(await check(path('n.img'), { mend: true })).toBe(1);
  expect(await shown(() => inspect(path('n.img'), { json: true }))).toMatchObject({
    volumes: [{ fileSystem: 'fat16', fault: expect.stringContaining('9 allocation tables') }],
  });
  bytes[1024 * 1024 + 16] = 2;
  bytes.fill(0x11, 1024 * 1024 + 2048, 1024 * 1024 + 2048 + 160_000);
  writeFileSync(path('n.img'), bytes);
  told.out = '';
  expect(await check(path('n.img'), { mend: true })).toBe(1);
  expect(told.out).toContain('can’t be mended');
});

describe('wiping', () => {
  it('in place keeps nothing of what it wipes, and the certificate says what was compared', async () => {
    const whole = await image('k.img');
    const target = json('wipe.json', {
      volumes: [{ keep: 1 }],
      remove: [2, 3],
      wipe: [
        { what: 'unallocated', pattern: ['ones', 'random'], compare: '1/10' },
        { what: 'free', volume: 1 },
      ],
    });
    const { wipes } = await shown(() => run(whole, { target, inPlace: true, json: true }));
    expect(wipes).toMatchObject([{ differing: 0, unwrittenBytes: 0 }, { differing: 0 }]);
    expect(told.err).toContain('can’t be rewound');
    expect(existsSync(`${whole}.ullager-undo`)).toBe(false);
    await expect(run(whole, { inPlace: true, rewind: true })).rejects.toThrow();
    expect(await check(whole, {})).toBe(0);
    expect(await shown(() => find(whole, { json: true }))).toMatchObject({ volumes: [] });
  });

  it('is refused where it would take what is kept', async () => {
    const whole = await image('l.img');
    const bad = [
      { volumes: [{ keep: 1 }, { keep: 2 }, { keep: 3 }], wipe: [{ what: 'disk' }] },
      { volumes: [{ keep: 1 }, { keep: 2 }, { keep: 3 }], wipe: [{ what: 'volume', volume: 2 }] },
      { volumes: [{ keep: 1 }], remove: [2, 3], wipe: [{ what: 'free', volume: 2 }] },
      { volumes: [{ keep: 1 }], remove: [2, 3], wipe: [{ what: 'free' }] },
      { volumes: [{ keep: 1 }], remove: [2, 3], wipe: [{ what: 'unallocated', pattern: 'noise' }] },
    ];
    for (const [i, input] of bad.entries())
      expect(await plan(whole, { target: json(`bad${i}.json`, input) }), `target ${i}`).not.toBe(0);
  });
});

it('a sound file is scanned and measured, and says that it is a file that was', async () => {
  const whole = await image('m.img');
  expect(await shown(() => scan(whole, { json: true }))).toMatchObject({ bytes: 64 * 1024 * 1024, faults: [] });
  expect(await shown(() => scan(whole, { json: true, volume: '2' }))).toMatchObject({ bytes: 20 * 1024 * 1024 });
  await expect(scan(whole, { volume: '9' })).rejects.toThrow(/no volume 9/);
  expect(await shown(() => speed(whole, { json: true }))).toMatchObject({ measured: 'file', failed: 0 });
});

describe('places that fail', () => {
  it('are taken out of use where a target wishes it, by what a scan printed', async () => {
    const whole = await image('failing.img');
    const slow = [{ start: 8 * 2 ** 20, end: 8 * 2 ** 20 + 512 }];
    const target = json('retire.json', { volumes: [1, 2, 3].map((keep) => ({ keep })), retireFailing: true });
    const of = (name: string, value: object) => ({ target, scan: json(name, value), out: path('retired.img') });
    expect(await plan(whole, { target })).toBe(2);
    expect(told.err).toMatch(/say --scan FILE/);
    const scanned = { version: 1, faults: [], slow };
    expect(await plan(whole, of('far.json', { ...scanned, slow: [{ start: 0, end: 2 ** 40 }] }))).toBe(2);
    expect(await plan(whole, of('odd.json', { ...scanned, slow: [{ start: 5, end: 5 }] }))).toBe(2);
    expect(told.err).toMatch(/The scan can't be used/);
    expect(await run(whole, of('scan.json', scanned))).toBe(0);
    const { volumes } = await shown(() => check(path('retired.img'), { json: true }));
    const found = (volumes as { findings: { code: string }[] }[]).map((v) => v.findings.map((f) => f.code));
    expect(found).toEqual([['ntfs.bad-cluster'], [], []]);
    // A whole disk that can be read has nothing to take out of use.
    expect(await shown(() => scan(whole, { json: true }))).toMatchObject({ faults: [] });
    told.out = '';
    expect(await scan(whole, { json: true })).toBe(0);
    const same = { ...of('none.json', JSON.parse(told.out) as object), out: path('same.img') };
    expect(await run(whole, same)).toBe(0);
  });
});
