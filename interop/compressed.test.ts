/** Files that are compressed stay so on volumes that can have them, and every reader finds what was in them. */
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { afterAll, expect, it } from 'vitest';
import { filesOf, fls, icat, read, scratch, starts, ullager } from './readers';

const box = scratch();
afterAll(() => box.remove());

const WORDS = ['alder', 'bracken', 'clover', 'dogwood', 'elder', 'foxglove', 'gorse', 'hazel', 'iris', 'juniper'];

/** Words in an order that repeats nowhere near, so many letters long. */
function words(length: number, seed: number): string {
  let out = '';
  for (let n = seed; out.length < length; n = Math.imul(n, 1_103_515_245) + 12_345) out += `${WORDS[(n >>> 16) % 10]} `;
  return out.slice(0, length);
}

const TEXTS = new Map([
  ['c/short.txt', words(300, 1)],
  ['c/unit.txt', words(65_536, 2)],
  ['c/more.txt', words(99_999, 3)],
  ['c/zeros.txt', words(100, 4) + '\0'.repeat(90_000) + words(100, 5)],
  ['c/d/alike.txt', 'a'.repeat(70_000)],
  ['c/d/noise.txt', [...Array(99_000).keys()].map((i) => String.fromCharCode(32 + ((i * i * 7919) % 94))).join('')],
]);
const sha = (text: string): string => createHash('sha256').update(text).digest('hex');
const wanted = [...TEXTS].map(([path, text]) => [path, sha(text)]).sort();

const CLUSTERS = [4096, 512, 2048, 65_536];

it('on volumes of several cluster sizes', () => {
  const fill = [...TEXTS].map(([file, text]) => ({ file, text, attributes: ['compressed', 'archive'] }));
  const volumes = CLUSTERS.map((clusterSize, i) => {
    return { size: '24 MiB', fileSystem: 'ntfs', label: `V${i + 1}`, clusterSize, fill: i === 0 ? fill : [] };
  });
  const recipe = box.path('c.json');
  writeFileSync(
    recipe,
    JSON.stringify({ version: 1, id: 'c', name: 'c', medium: 'ssd', size: '100 MiB', table: 'gpt', volumes }),
  );
  const image = box.path('c.img');
  expect(ullager('make', recipe, '--out', image).code).toBe(0);

  const target = box.path('target.json');
  const keep = CLUSTERS.map((_, i) => ({ keep: i + 1, as: `v${i + 1}` }));
  const transfers = [2, 3, 4].map((n) => ({ from: { volume: 1 }, to: `v${n}`, folder: 'c', then: 'keep' }));
  writeFileSync(target, JSON.stringify({ volumes: keep, transfers }));
  // Only where clusters are too large for it.
  const plan = ullager('plan', image, '--target', target);
  expect((plan.out + plan.err).match(/compressed files take their full size/g)).toHaveLength(1);
  const run = ullager('run', image, '--target', target, '--in-place');
  expect(run.code, run.err + run.out).toBe(0);
  expect(ullager('check', image).out).toBe('Nothing found.\n');

  for (const [i, start] of starts(image).entries()) {
    expect(
      filesOf(image, i + 1)
        .map((f) => [f.path, f.sha256])
        .sort(),
    ).toEqual(wanted);
    const inodes = fls(image, start, CLUSTERS[i]! > 4096);
    expect([...inodes].map(([path, inode]) => [path, icat(image, start, inode)]).sort()).toEqual(wanted);
    for (const [path, inode] of inodes) {
      const packed = /Compressed/.test(read('istat', ['-o', `${start}`, image, inode]));
      expect(packed, `${path} on volume ${i + 1}`).toBe(CLUSTERS[i]! <= 4096);
    }
    const alone = box.path(`v${i}.ntfs`);
    writeFileSync(alone, readFileSync(image).subarray(start * 512, start * 512 + 24 * 1024 * 1024));
    for (const [path, text] of TEXTS) {
      expect(sha(read('7zz', ['e', '-so', alone, path])), `7zz, ${path}`).toBe(sha(text));
      expect(sha(read('grub-fstest', [alone, 'cat', `(loop0)/${path}`])), `grub, ${path}`).toBe(sha(text));
    }
  }
  // The room that was saved is free.
  const used = (n: number): number =>
    Number(
      /"used": ?(\d+)/.exec(JSON.stringify(JSON.parse(ullager('inspect', image, '--json').out).volumes[n - 1]))![1],
    );
  expect(used(3)).toBeLessThan(used(4) - 150_000);
});
