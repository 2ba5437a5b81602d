import { deviceCompliance } from '@/core/device/fixtures/compliance';
import { copyFileSync, existsSync, readFileSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { FileDevice } from './files/file-device';
import { FileLog } from './kept';
import { systemFiles } from './files/files';
import { boxOf, printed } from './fixtures/verbs';
import { fail } from './output';
import { check, files, inspect } from './verbs/look';
import { plan } from './verbs/plan';
import { make } from './verbs/make';
import { run } from './verbs/run';

const { path, json } = boxOf('ullager-cli-');
const io = printed();

const fill = [
  { file: 'note.txt', text: 'hello' },
  { folder: 'x', count: 10, name: 'f{nn}.bin', smallest: '2 KiB', largest: '90 KiB', near: 0.7, fragments: 2 },
];
const recipe = {
  version: 1,
  id: 'cli',
  name: 'cli',
  medium: 'usb',
  size: '40 MiB',
  table: 'mbr',
  volumes: [{ fileSystem: 'fat16', label: 'CLI', fill }],
};
const split = {
  volumes: [
    { keep: 1, size: '20 MiB' },
    { create: 'fat16', label: 'more' },
  ],
};
const image = path('stick.img');

describe('the runner', () => {
  it('makes an image, inspects it, lists and checks its files', async () => {
    expect(await make(json('r.json', recipe), { out: image })).toBe(0);
    expect(statSync(image).size).toBe(40 << 20);
    expect(await inspect(image, { json: true })).toBe(0);
    const document = JSON.parse(io.out.slice(io.out.indexOf('{'))) as { volumes: { label: string; files: number }[] };
    expect(document.volumes).toMatchObject([{ label: 'CLI', files: 11 }]);
    io.out = '';
    expect(await files(image, {})).toBe(0);
    expect(io.out).toContain('2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824  5  note.txt');
    io.out = '';
    expect(await check(image, {})).toBe(0);
    expect(io.out).toBe('Nothing found.\n');
  });

  it('plans, and refuses with a reason and exit 1', async () => {
    expect(await plan(image, { target: json('s.json', split) })).toBe(0);
    expect(io.out).toContain('Shrink CLI to 20 MiB');
    const tiny = json('tiny.json', { volumes: [{ keep: 1, size: '1 MiB' }] });
    io.out = '';
    expect(await plan(image, { target: tiny, json: true })).toBe(1);
    expect(JSON.parse(io.out)).toMatchObject({ refusal: { code: 'fs.below-floor' } });
    expect(io.err.split('\n')).toHaveLength(2);
    expect(await plan(image, { target: json('bad.json', { volumes: 3 }) })).toBe(2);
  });

  it('runs into another file and leaves the original as it was', async () => {
    const original = readFileSync(image);
    const target = path('split.img');
    expect(await run(image, { target: path('s.json'), out: target })).toBe(0);
    expect(io.out).toContain('Proven');
    expect(Buffer.compare(readFileSync(image), original)).toBe(0);
    expect(existsSync(`${target}.ullager-journal`)).toBe(false);
    await expect(run(image, { target: path('s.json'), out: target })).rejects.toThrow('exists already');
    expect(await run(image, { out: target, rewind: true })).toBe(0);
    expect(existsSync(target)).toBe(false);
  });

  it('runs in place, with and without a way back', async () => {
    const copy = path('copy.img');
    copyFileSync(image, copy);
    const original = readFileSync(copy);
    expect(await run(copy, { target: path('s.json'), inPlace: true })).toBe(0);
    expect(existsSync(`${copy}.ullager-undo`)).toBe(true);
    expect(await run(copy, { inPlace: true, rewind: true })).toBe(0);
    expect(Buffer.compare(readFileSync(copy), original)).toBe(0);
    expect(await run(copy, { target: path('s.json'), inPlace: true, rewind: false })).toBe(0);
    await expect(run(copy, { inPlace: true, rewind: true })).rejects.toThrow('nothing to rewind');
  });

  it('is strict about how it is called', async () => {
    await expect(run(image, { target: 'x' })).rejects.toThrow('--out OUT or --in-place');
    await expect(run(image, { inPlace: true })).rejects.toThrow('--target');
    await expect(run(image, { inPlace: true, resume: true })).rejects.toThrow('no run to resume');
    await expect(files(image, { volume: '7' })).rejects.toThrow('no volume 7');
    await expect(inspect(image, { sectorSize: '700' })).rejects.toThrow('512 or 4096');
  });

  it.each<[string, Buffer, string]>([
    ['nothing', Buffer.alloc(0), 'is empty'],
    ['words', Buffer.from('Dear Fernhollow '.repeat(600)), 'is not a disk image'],
    ['a gzip file', Buffer.concat([Buffer.from([0x1f, 0x8b]), Buffer.alloc(5000)]), 'can’t be unpacked'],
  ])('says plainly what %s is', async (name, bytes, sentence) => {
    writeFileSync(path('odd'), bytes);
    const code = await inspect(path('odd'), {}).catch(fail);
    expect(code).toBe(1);
    expect(io.err, name).toContain(sentence);
  });

  it('takes a missing file for bad usage', async () => {
    expect(await inspect(path('not-there'), {}).catch(fail)).toBe(2);
  });

  it('shows an image cut short and changes nothing', async () => {
    copyFileSync(image, path('cut.img'));
    truncateSync(path('cut.img'), 15 << 20);
    expect(await inspect(path('cut.img'), {})).toBe(1);
    expect(io.out).toContain('Entry 1 reaches to sector');
    const smaller = json('smaller.json', { volumes: [{ keep: 1, size: '10 MiB' }] });
    expect(await plan(path('cut.img'), { target: smaller })).toBe(1);
    expect(io.err).toContain('the table is damaged');
  });
});

describe('a log file', () => {
  const entriesOf = async (log: FileLog<{ n: number }>): Promise<number[]> => {
    const list: number[] = [];
    for await (const { record, body } of log.entries()) list.push((record as { n: number }).n + body.length);
    return list;
  };

  it('is read back, cut where it is torn, and added to', async () => {
    const log = await FileLog.create<{ n: number }>(systemFiles, path('log'));
    for (let n = 0; n < 4; n++) await log.append({ n }, new Uint8Array(n * 100));
    await log.flush();
    expect(await entriesOf(log)).toEqual([0, 101, 202, 303]);
    await log.close();
    truncateSync(path('log'), statSync(path('log')).size - 5);
    const again = (await FileLog.open<{ n: number }>(systemFiles, path('log')))!;
    expect(await entriesOf(again)).toEqual([0, 101, 202]);
    await again.append({ n: 7 });
    expect(await entriesOf(again)).toEqual([0, 101, 202, 7]);
    await again.clear();
    expect(await entriesOf(again)).toEqual([]);
    await again.remove();
    expect(existsSync(path('log'))).toBe(false);
  });

  it('with a damaged middle is refused', async () => {
    const log = await FileLog.create<{ n: number }>(systemFiles, path('bad-log'));
    for (let n = 0; n < 3; n++) await log.append({ n }, new Uint8Array(50));
    await log.close();
    const bytes = readFileSync(path('bad-log'));
    bytes[30] = bytes[30]! ^ 0xff;
    writeFileSync(path('bad-log'), bytes);
    await expect(FileLog.open(systemFiles, path('bad-log'))).rejects.toMatchObject({ code: 'journal.corrupt' });
  });
});

let devices = 0;
deviceCompliance('a file', (size) => {
  devices += 1;
  return FileDevice.create(systemFiles, path(`device-${devices}`), size, 512);
});

describe('a swap on a full disk', () => {
  const full = path('full.img');
  const volume = (label: string): object => ({ size: '10 MiB', fileSystem: 'fat12', label, fill });
  const target = json('swap.json', { volumes: [{ keep: 2 }, { keep: 1 }] });

  it('makes a volume smaller for a time, or sets one aside in a file where one is named', async () => {
    const both = { ...recipe, table: 'gpt', size: '22 MiB', volumes: [volume('ONE'), volume('TWO')] };
    expect(await make(json('full.json', both), { out: full })).toBe(0);
    expect(await plan(full, { target })).toBe(0);
    expect(io.out).toMatch(/Shrink (ONE|TWO) to [\d.]+ MiB for a time/);
    expect(await plan(full, { target, scratch: path('aside.bin') })).toBe(0);
    expect(io.out).toMatch(/Set (ONE|TWO) aside on aside\.bin/);
    expect(existsSync(path('aside.bin'))).toBe(false);
  });

  it('runs with it, takes it away, and never writes over a file that is there', async () => {
    const options = { target, scratch: path('aside.bin'), out: path('swapped.img') };
    expect(await run(full, options)).toBe(0);
    expect(io.out).toContain('Proven');
    expect(existsSync(options.scratch)).toBe(false);
    writeFileSync(options.scratch, 'mine');
    await expect(run(full, { ...options, out: path('again.img') })).rejects.toThrow(/exists already/);
    expect(readFileSync(options.scratch, 'utf8')).toBe('mine');
    expect(existsSync(path('again.img'))).toBe(false);
  });
});
