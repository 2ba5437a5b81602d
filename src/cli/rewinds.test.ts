/** Runs in place, each taken back on its own, the newest first. */
import { existsSync, readFileSync, readdirSync, renameSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { boxOf, printed } from './fixtures/verbs';
import { make } from './verbs/make';
import { rewinds } from './verbs/rewinds';
import { run } from './verbs/run';

const { box, path, json } = boxOf('ullager-rewinds-', true);
const io = printed();

const RECIPE = {
  ...{ version: 1, id: 'stick', name: 'Stick', medium: 'usb', size: '64 MiB', table: 'mbr' },
  volumes: [{ fileSystem: 'fat16', label: 'ONE', fill: [{ file: 'note.txt', text: 'hello' }] }],
};
const target = (label: string): string => json(`${label}.json`, { volumes: [{ keep: 1, size: '40 MiB', label }] });
const undos = (): string[] =>
  readdirSync(box)
    .filter((n) => n.includes('undo'))
    .sort();

async function thrice(): Promise<{ image: string; states: Buffer[] }> {
  const image = path('d.img');
  if (!existsSync(image)) await make(json('r.json', RECIPE), { out: image });
  const states = [readFileSync(image)];
  for (const label of ['TWO', 'THREE', 'FOUR']) {
    expect(await run(image, { inPlace: true, target: target(label) })).toBe(0);
    states.push(readFileSync(image));
  }
  return { image, states };
}

describe('runs in place', () => {
  it('are taken back one by one', async () => {
    const { image, states } = await thrice();
    expect(undos()).toEqual(['d.img.ullager-undo', 'd.img.ullager-undo-1', 'd.img.ullager-undo-2']);
    io.out = '';
    await rewinds(image, { json: true });
    const kept = (JSON.parse(io.out) as { rewinds: { number: number; bytes: number }[] }).rewinds;
    expect(kept.map((k) => k.number)).toEqual([1, 2, 3]);
    expect(kept.every((k) => k.bytes > 0)).toBe(true);
    for (const left of [2, 1, 0]) {
      io.out = '';
      expect(await run(image, { inPlace: true, rewind: true, json: true })).toBe(0);
      expect(JSON.parse(io.out)).toMatchObject({ rewound: true, earlier: left });
      expect(readFileSync(image).equals(states[left]!), `${left} left`).toBe(true);
    }
    expect(undos()).toEqual([]);
    await expect(run(image, { inPlace: true, rewind: true })).rejects.toMatchObject({ code: 'run.nothing-to-rewind' });
  });

  it('are taken back though it was cut between two of them', async () => {
    const { image, states } = await thrice();
    await run(image, { inPlace: true, rewind: true });
    // As a cut leaves it: the way back is gone, and the next has not its name yet.
    renameSync(path('d.img.ullager-undo'), path('d.img.ullager-undo-2'));
    await run(image, { inPlace: true, rewind: true });
    expect(readFileSync(image).equals(states[1]!)).toBe(true);
    await run(image, { inPlace: true, rewind: true });
    expect(readFileSync(image).equals(states[0]!)).toBe(true);
  });

  it('are dropped from one on, and by a run that keeps nothing', async () => {
    const { image, states } = await thrice();
    await rewinds(image, { drop: '2' });
    expect(undos()).toEqual(['d.img.ullager-undo']);
    await expect(rewinds(image, { drop: '2' })).rejects.toThrow(/no way back 2/);
    await run(image, { inPlace: true, rewind: true });
    expect(readFileSync(image).equals(states[2]!)).toBe(true);
    await run(image, { inPlace: true, target: target('FIVE') });
    await run(image, { inPlace: true, rewind: false, target: target('SIX') });
    expect(undos()).toEqual([]);
  });
});
