/** NTFS volumes torn into thousands of pieces, as made, at their floor and grown back, by independent readers. */
import type { ContentRun } from '@/core/fs';
import { change, makeVolume, openVolume, write } from '@/core/fs/fixtures/volumes';
import { tornApart } from '@/core/fs/ntfs/fixtures/torn-apart';
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { closeSync, openSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { afterAll, describe, expect, it } from 'vitest';
import { fillProcedural, type BlockDevice } from '@/core/device';
import { nodeHasher } from '@/cli/node-hasher';
import { manifestOf } from '@/core/fs/fixtures/volumes';
import { fls, icat, read, scratch, sevenZip } from './readers';

const MIB = 1024 * 1024;
const box = scratch();
afterAll(() => box.remove());

async function toFile(device: BlockDevice, path: string): Promise<void> {
  const fd = openSync(path, 'w');
  for (const { start, end } of device.occupied()) {
    for (let at = start; at < end; at += 4 * MIB)
      writeSync(fd, await device.bytes(at, Math.min(4 * MIB, end - at)), undefined, undefined, at);
  }
  closeSync(fd);
  truncateSync(path, device.size);
}

describe('independent readers, on a volume torn into pieces', () => {
  // 7zz does not follow a table whose own extents are in further records; the others do.
  it.each([
    ['its table in one record', 100, true],
    ['its table over many records', 1500, false],
  ])('find every file with %s: as made, at its floor, and grown back', async (_name, small, listed) => {
    const size = 260 * MIB;
    const device = await tornApart({ size, teeth: 5000, files: small, names: listed ? 0 : 3000 });
    const before = await manifestOf('ntfs', device, true, nodeHasher);
    const files = before.filter((e) => e.kind === 'file');
    const combFile = box.path('comb.bin');
    const comb = new Uint8Array(files.find((f) => f.path === 'comb.bin')!.size);
    fillProcedural(1, 0, comb);
    writeFileSync(combFile, comb);
    const stages = [
      async () => undefined,
      async () => {
        const { floor } = await (await openVolume('ntfs', device)).limits();
        await change('ntfs', device, (v, tx) => v.shrink(floor.bytes, tx));
      },
      () => change('ntfs', device, (v, tx) => v.grow(size, tx)),
    ];
    for (const [i, stage] of stages.entries()) {
      await stage();
      expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
      const image = box.path(`torn-${i}.img`);
      await toFile(device, image);
      expect(read('fsstat', [image])).toContain('File System Type: NTFS');
      const inodes = fls(image, 0);
      expect([...inodes.keys()].sort()).toEqual(files.map((f) => f.path).sort());
      for (const file of files.filter((f, n) => f.path === 'comb.bin' || n % 400 === 0))
        expect(icat(image, 0, inodes.get(file.path)!), file.path).toBe(file.sha256);
      if (listed) {
        const found = [...sevenZip(image)].filter(([path]) => !path.startsWith('[SYSTEM]'));
        expect(found.sort()).toEqual(files.map((f) => [f.path, f.size] as [string, number]).sort());
      }
      expect(read('grub-fstest', [image, 'cmp', '(loop0)/comb.bin', combFile])).toBe('');
    }
  });
});

it('independent readers find the content of files with holes, in one record and over many', async () => {
  const device = await makeVolume({ kind: 'ntfs', size: 40 * MIB, clusterSize: 4096 });
  const expected = new Map<string, Uint8Array>();
  await write('ntfs', device, async (writer) => {
    for (const [path, teeth, gap] of [
      ['few.img', 3, 20e6],
      ['many.img', 200, 400_000],
      ['none.img', 1, 0],
    ] as const) {
      const runs = Array.from({ length: teeth }, (_, i): ContentRun[] => [
        { kind: 'bytes', bytes: Uint8Array.of(1, 2, i & 0xff, 4) },
        { kind: 'zeros', length: gap },
      ]).flat();
      const size = teeth * (4 + gap);
      const content = new Uint8Array(size);
      for (let i = 0; i < teeth; i++) content.set([1, 2, i & 0xff, 4], i * (4 + gap));
      expected.set(path, content);
      const inOrder = async function* () {
        yield* runs;
      };
      const facts = { attributes: ['sparse'] };
      await writer.writeFile(path, { kind: 'from', device, runs: inOrder(), size }, facts);
    }
  });
  expect((await (await openVolume('ntfs', device)).check()).map((f) => f.message)).toEqual([]);
  expect((await openVolume('ntfs', device)).info.used).toBeLessThan(28 * MIB);
  const image = box.path('holes.img');
  await toFile(device, image);
  const inodes = fls(image, 0);
  for (const [path, content] of expected) {
    expect(icat(image, 0, inodes.get(path)!), path).toBe(createHash('sha256').update(content).digest('hex'));
    // The third reader takes the first cluster of a hole for the one before it; these two read it as it is.
    const unpacked = execFileSync('7zz', ['x', '-so', image, path], { maxBuffer: 2 ** 29 });
    expect(Buffer.compare(unpacked, content), path).toBe(0);
  }
  const listed = [...sevenZip(image)].filter(([path]) => !path.startsWith('[SYSTEM]'));
  expect(listed.sort()).toEqual([...expected].map(([path, { length }]) => [path, length]).sort());
});
