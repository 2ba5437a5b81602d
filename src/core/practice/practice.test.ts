import { MemoryDevice } from '@/core/device';
import { surveyDisk } from '@/core/inspect';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { buildPracticeDisk, parseRecipe, recipeSize, seededRandom } from '.';

const stick = parseRecipe(JSON.parse(readFileSync('demo/label-printer-stick.json', 'utf8')));

describe('a recipe', () => {
  it('gives the same disk every time', async () => {
    const small = parseRecipe({
      ...stick,
      size: '64 MiB',
      volumes: [
        {
          fileSystem: 'fat16',
          fill: [{ folder: 'a/b', count: 9, name: '{word} {nn}', smallest: '1 KiB', largest: '9 KiB' }],
        },
      ],
    });
    const bytes = async () => (await buildPracticeDisk(small)).bytes(0, recipeSize(small));
    expect(Buffer.compare(await bytes(), await bytes())).toBe(0);
  });

  it('for the demo stick holds what the bench promises', async () => {
    const disk = await buildPracticeDisk(stick);
    expect(disk.size).toBe(16e9);
    const survey = await surveyDisk(disk);
    const [volume] = survey.volumes;
    expect(volume).toMatchObject({ info: { kind: 'fat32', label: 'LABELS' }, findings: [], role: 'data' });
    expect(volume!.files).toBeGreaterThan(2000);
    expect(volume!.allocation.at(-1)!.end).toBeGreaterThan(volume!.length * 0.75);
    expect(volume!.allocation.length).toBeGreaterThan(100);
  });

  it('is refused with the place of its fault', () => {
    expect(() => parseRecipe({ ...stick, medium: 'tape' })).toThrow(/medium/);
    expect(() => parseRecipe({ ...stick, surprise: true })).toThrowError(
      expect.objectContaining({ code: 'recipe.invalid' }),
    );
  });

  it('that does not fit its disk is refused', async () => {
    const tight = parseRecipe({ ...stick, size: '64 MiB', volumes: [{ fileSystem: 'fat16', size: '80 MiB' }] });
    await expect(buildPracticeDisk(tight)).rejects.toMatchObject({ code: 'recipe.invalid' });
  });

  it('can be built on any device', async () => {
    const bare = parseRecipe({
      ...stick,
      size: '4 MiB',
      table: 'none',
      volumes: [{ fileSystem: 'fat12', label: 'BARE' }],
    });
    const survey = await surveyDisk(await buildPracticeDisk(bare, new MemoryDevice(new Uint8Array(4 << 20))));
    expect(survey).toMatchObject({ table: 'none', volumes: [{ info: { kind: 'fat12', label: 'BARE' } }] });
  });
});

describe('random numbers', () => {
  it('are repeatable and spread', () => {
    const [a, b] = [seededRandom(9), seededRandom(9)];
    const list = Array.from({ length: 1000 }, () => a());
    expect(Array.from({ length: 1000 }, () => b())).toEqual(list);
    expect(list.reduce((s, x) => s + x, 0) / 1000).toBeCloseTo(0.5, 1);
  });
});
