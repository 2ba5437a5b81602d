/** Another disk that a run writes too, while that run is unfinished. */
import { copyFileSync, existsSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { systemFiles } from '../files';
import { FaultyFiles } from '../files/fixtures/faulty-files';
import { boxOf, letGo, printed } from '../fixtures/verbs';
import { inspect } from '../verbs/look';
import { make } from '../verbs/make';
import { openJournal } from './run-files';
import { run } from '../verbs/run';

const { path, json } = boxOf('ullager-marks-', true);
const io = printed();

const [old, fresh] = [path('old.img'), path('fresh.img')];
const isSame = (file: string, bytes: Uint8Array): boolean => Buffer.compare(readFileSync(file), bytes) === 0;
const taking = (then: 'keep' | 'remove'): string =>
  json(`${then}.json`, {
    table: 'gpt',
    volumes: [{ create: 'exfat', size: '12 MiB', as: 'data' }],
    transfers: [{ from: { disk: 'old', volume: 1 }, folder: 'x', to: 'data', under: 'from old', then }],
  });

beforeAll(async () => {
  const fill = [{ folder: 'x', count: 8, name: 'f{nn}.bin', smallest: '2 KiB', largest: '90 KiB', fragments: 2 }];
  const volumes = [
    { size: '12 MiB', fileSystem: 'ntfs', label: 'ONE', fill },
    { size: '4 MiB', fileSystem: 'exfat', label: 'TWO', fill: [] },
  ];
  const made = (id: string, size: string, table: string, of: readonly object[]): Promise<number> =>
    make(json(`${id}-recipe.json`, { version: 1, id, name: id, medium: 'hdd', size, table, volumes: of }), {
      out: path(`${id}.img`),
    });
  expect(await made('old', '18 MiB', 'mbr', volumes)).toBe(0);
  expect(await made('fresh', '16 MiB', 'gpt', [])).toBe(0);
});

describe('folders that are moved', () => {
  it('are on a disk that is left alone while the run is unfinished, and said to be between two states', async () => {
    const [place, source] = [path('marked.img'), path('marked-old.img')];
    copyFileSync(fresh, place);
    copyFileSync(old, source);
    const named = [`old=${source}`];
    const asked = { target: taking('remove'), with: named, inPlace: true };
    const counting = new FaultyFiles(systemFiles, undefined, 0);
    expect(await run(place, asked, counting)).toBe(0);
    expect(existsSync(`${source}.ullager-part`)).toBe(false);
    expect(await run(place, { rewind: true, inPlace: true, with: named })).toBe(0);
    expect(existsSync(`${source}.ullager-part`)).toBe(false);
    const shrink = json('smaller.json', { volumes: [{ keep: 1, size: '11 MiB' }, { keep: 2 }] });
    let held = 0;
    for (let share = 0.3; share < 1; share += 0.06) {
      copyFileSync(fresh, place);
      copyFileSync(old, source);
      for (const end of ['part', 'journal', 'undo'])
        for (const image of [place, source]) rmSync(`${image}.ullager-${end}`, { force: true });
      const files = new FaultyFiles(systemFiles, 'cut', Math.floor(counting.operations.length * share));
      await run(place, asked, files).catch(() => undefined);
      letGo();
      const journal = await openJournal(systemFiles, place);
      await journal?.file.close();
      const { state } = journal ?? {};
      // Nothing was begun, or all of it was over.
      if (!state || state.certificate) continue;
      const before = readFileSync(source);
      for (const act of [
        () => run(source, { target: shrink, inPlace: true }),
        () => run(source, { target: shrink, out: path('marked-out.img') }),
        () => run(fresh, { target: taking('keep'), with: named, out: path('marked-out.img') }),
      ])
        await expect(act()).rejects.toMatchObject({ code: 'run.holds' });
      expect(await inspect(source, {})).toBe(0);
      expect(io.err).toMatch(/a run on marked\.img writes it too and is unfinished/);
      expect(isSame(source, before)).toBe(true);
      // Without the journal nothing tells whether that is over.
      renameSync(`${place}.ullager-journal`, path('away'));
      await expect(run(source, { target: shrink, inPlace: true })).rejects.toThrow(/is not there to tell/);
      renameSync(path('away'), `${place}.ullager-journal`);
      held += 1;
      const end = held % 2 === 0 ? { resume: true } : { rewind: true };
      expect(await run(place, { ...end, inPlace: true, with: named })).toBe(0);
      if (held % 2 === 0) expect(await run(place, { rewind: true, inPlace: true, with: named })).toBe(0);
      expect([isSame(place, readFileSync(fresh)), isSame(source, readFileSync(old))]).toEqual([true, true]);
      expect(existsSync(`${source}.ullager-part`)).toBe(false);
    }
    expect(held).toBeGreaterThan(1);
  });

  it('are on a disk whose mark of a run that never began, or is over, holds nothing up', async () => {
    const [place, source] = [path('stale.img'), path('stale-old.img')];
    copyFileSync(fresh, place);
    copyFileSync(old, source);
    writeFileSync(`${source}.ullager-part`, JSON.stringify({ version: 1, run: 'other', beside: place }));
    await expect(
      run(source, { target: json('stale.json', { volumes: [{ keep: 1 }, { keep: 2, label: 'L' }] }), inPlace: true }),
    ).rejects.toThrow(/not there to tell/);
    writeFileSync(`${place}.ullager-journal`, '');
    expect(await run(place, { target: taking('remove'), with: [`old=${source}`], inPlace: true })).toBe(0);
    expect(existsSync(`${source}.ullager-part`)).toBe(false);
    writeFileSync(`${source}.ullager-part`, 'no mark');
    await expect(
      run(source, { target: json('stale.json', { volumes: [{ keep: 1 }, { keep: 2, label: 'L' }] }), inPlace: true }),
    ).rejects.toMatchObject({ code: 'run.holds' });
  });
});
