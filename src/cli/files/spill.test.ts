import { readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { expect, it } from 'vitest';
import { systemFiles } from './files';
import { makeSpill } from './spill';

const left = (): string[] => readdirSync(tmpdir()).filter((name) => name.endsWith('.unpacked'));

it('room beside memory has no name that anybody could meet, and gives what was put there', async () => {
  const before = left();
  const spill = await makeSpill(systemFiles, 5);
  expect(spill.after).toBe(5);
  expect(left()).toEqual(before);
  const bytes = new Uint8Array(300_000).map((_, i) => i * 7);
  await spill.write(0, bytes);
  await spill.write(300_000, bytes.subarray(0, 10));
  const into = new Uint8Array(20);
  await spill.read(299_990, into);
  expect([...into]).toEqual([...bytes.subarray(299_990), ...bytes.subarray(0, 10)]);
  await expect(spill.read(300_000, into)).rejects.toMatchObject({ code: 'device.read-failed' });
  await spill.close();
});

it('where its name can’t be taken away at once it goes when it is closed', async () => {
  const before = left();
  let refused = 0;
  const files: typeof systemFiles = {
    ...systemFiles,
    remove: (path) => (refused++ === 0 ? Promise.reject(new Error('it is open')) : systemFiles.remove(path)),
  };
  const spill = await makeSpill(files);
  await spill.write(0, Uint8Array.of(1));
  expect(left()).toHaveLength(before.length + 1);
  await spill.close();
  expect(left()).toEqual(before);
});
