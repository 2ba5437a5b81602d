/** Random volumes, random targets, random cuts: every file whole at every cut, and the same bytes after resuming. */
import { rounds } from '@/core/fixtures/rounds';
import { surveyDisk } from '@/core/inspect';
import { seededRandom, type RecipeInput } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { surviveCuts } from './fixtures/cuts';
import { buildStick, planFor } from './fixtures/sticks';

const MIB = 1024 * 1024;
const ROUNDS = rounds(4, 60);

function recipeFor(kind: string, random: () => number): Partial<RecipeInput> {
  const pick = (low: number, high: number): number => Math.floor(low + random() * (high - low));
  const fill = Array.from({ length: 3 }, (_, i) => ({
    folder: i === 0 ? '' : `folder ${i}/deeper`,
    count: pick(3, 25),
    name: `${i}-{nn} {word}.bin`,
    smallest: '1 B',
    largest: `${pick(20, 250)} KiB`,
    near: random(),
    fragments: pick(1, 9),
  }));
  return {
    id: `random-${pick(0, 1e9)}`,
    size: `${pick(36, 48)} MiB`,
    volumes: [{ fileSystem: kind, label: 'RANDOM', fill }],
  };
}

describe.each(['fat12', 'fat16', 'exfat', 'ntfs', 'ext4', 'ext2'])('%s', (kind) => {
  it.each(Array.from({ length: ROUNDS }, (_, i) => i + 1))('seed %i', async (seed) => {
    const random = seededRandom(seed * 7919);
    const start = await buildStick(recipeFor(kind, random));
    const [volume] = (await surveyDisk(start)).volumes;
    const { floor } = volume!.limits!;
    const size = Math.ceil((floor.bytes + random() * (volume!.length - floor.bytes)) / 512) * 512;
    const room = start.size - MIB - size > 6 * MIB;
    const { plan } = await planFor(start, {
      volumes: [
        { keep: 1, size: `${size} B` },
        ...(room
          ? [{ create: random() < 0.3 ? 'exfat' : random() < 0.5 ? 'ntfs' : 'fat12', size: 'rest', label: 'N' }]
          : []),
      ],
    });
    const undisturbed = await surviveCuts(plan, start, random, 2);
    expect((await surveyDisk(undisturbed)).volumes.flatMap((v) => v.findings)).toEqual([]);
  });
});
