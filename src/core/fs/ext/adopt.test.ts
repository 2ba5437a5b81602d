import { rounds } from '@/core/fixtures/rounds';
import { SparseDevice, WindowDevice } from '@/core/device';
import type { ManifestEntry } from '@/core/proof';
import { seededRandom } from '@/core/practice';
import { applyNow } from '@/core/run';
import { describe, expect, it } from 'vitest';
import { isCoreError } from '@/core/errors';
import { joinRanges, kindFacts, type Volume, type VolumeInfo } from '..';
import { sealAttributes, setReferences } from './attributes';
import { attributeBlockOf } from './inode';
import { readExt } from './state';
import { fillRandomly, makeVolume, manifestOf, openVolume, write } from '../fixtures/volumes';

const MIB = 1024 * 1024;

/** Names, links, attributes in the inode and in blocks of their own, one of which several inodes could share. */
async function fill(kind: string, device: SparseDevice, seed: number, share: number): Promise<void> {
  await fillRandomly(kind, device, seed, 0.5);
  await write(kind, device, async (writer) => {
    const extended = [{ name: 'user.note', value: new Uint8Array(700).fill(seed) }];
    const owner = { mode: 0o4751, user: 70_000, group: 5 };
    await writer.mkdir('own', { owner, extended });
    for (let i = 0; i < 40; i++) {
      const placement = { near: i / 40, fragments: 1 + (i % 7) };
      await writer.writeFile(`own/file ${i}`, { kind: 'procedural', seed: i, size: i * 3000 }, { extended, placement });
    }
    await writer.hardLink('own/again', 'own/file 7');
    await writer.writeFile(
      'own/link',
      { kind: 'bytes', bytes: new Uint8Array() },
      { path: new Uint8Array(9).fill(65) },
    );
  });
  const { free } = (await openVolume(kind, device)).info;
  const content = { kind: 'procedural', seed, size: Math.max(0, Math.floor(free * share) - 64 * 1024) } as const;
  await write(kind, device, (writer) => writer.writeFile('own/large', content, {}));
}

/** Says of a block of attributes that one inode more has it, which stays behind when files are taken over. */
async function shareWithRoot(device: SparseDevice): Promise<void> {
  const state = await readExt(device);
  const numbers = [...state.inodes.numbers()];
  const block = numbers.map((n) => attributeBlockOf(state.inodes.get(n)!)).find((b) => b !== 0)!;
  const bytes = await device.bytes(block * state.g.blockSize, state.g.blockSize);
  setReferences(bytes, 2);
  sealAttributes(bytes, block, state.g);
  await device.write(block * state.g.blockSize, bytes);
}

async function entriesOf(volume: Volume, under: string) {
  const entries = [];
  for await (const entry of volume.walk()) entries.push({ entry, to: `${under}/${entry.path}` });
  return entries;
}

/** What is left over as a plan reckons it. */
function spareOf(target: VolumeInfo, source: VolumeInfo, size: number): number {
  const more = (size / target.size - 1) * target.entries!.total - source.entries!.total;
  const lost = kindFacts(target.kind).holds.adoptionLoses!(target.clusterSize);
  return size - target.used - source.used - lost - Math.max(0, more) * target.entries!.each;
}

describe('a volume that takes over the files of the one behind it', () => {
  it('has all of both, and nothing wrong, at sizes around the borders of groups', async () => {
    const random = seededRandom(71);
    const between = (from: number, to: number): number => from + Math.floor(random() * (to - from));
    let carried = 0;
    let [full, stopped] = [0, 0];
    for (let round = 0; round < rounds(6, 60); round++) {
      const kind = ['ext4', 'ext2', 'ext4', 'ext3'][round % 4]!;
      const blockSize = round % 3 === 2 ? 4096 : 1024;
      const group = blockSize * blockSize * 8;
      const sizes = [between(1, 5), between(2, blockSize === 1024 ? 14 : 3)].map(
        (n) => Math.floor((n * Math.min(group, 32 * MIB) + (random() - 0.5) * MIB) / 4096) * 4096,
      );
      const gap = between(0, 3) * 12 * 4096;
      const [first, second] = await Promise.all(
        sizes.map((size) => makeVolume({ kind, size: Math.max(6 * MIB, size), clusterSize: blockSize })),
      );
      const offset = first!.size + gap;
      const both = new SparseDevice(offset + second!.size + between(0, 2) * MIB, 512);
      await fill(kind, first as SparseDevice, 3 + round, random());
      await fill(kind, second as SparseDevice, 50 + round, [0.5, 0.9, 1][round % 3]!);
      await shareWithRoot(second as SparseDevice);
      for (const [at, part] of [[0, first!] as const, [offset, second!] as const])
        for (let done = 0; done < part.size; done += MIB)
          await both.write(at + done, await part.bytes(done, Math.min(MIB, part.size - done)));
      const before = [await manifestOf(kind, first!, true), await manifestOf(kind, second!, true)];
      const window = new WindowDevice(both, offset, second!.size);
      const [target, source] = [
        await openVolume(kind, new WindowDevice(both, 0, first!.size)),
        await openVolume(kind, window),
      ];
      expect(target.info.adoptionStyle).toBe(source.info.adoptionStyle);
      const held = (await source.allocation()).map((r) => ({ start: r.start + offset, end: r.end + offset }));
      const live = joinRanges([...(await target.allocation()), ...held]);
      const entries = await entriesOf(source, 'second');
      const above = [{ path: 'second', facts: {} }];
      const was = await both.bytes(0, both.size);
      const spare = spareOf(target.info, source.info, both.size);
      await applyNow(both, 0, live, (tx) =>
        target.adopt({ source, offset, size: both.size, above, entries }, tx),
      ).catch((error: unknown) => {
        // A plan that leaves less is refused.
        if (spare >= 0 || !isCoreError(error, 'fs.full')) throw error;
        full += 1;
      });
      if (full > stopped) {
        stopped = full;
        expect(await manifestOf(kind, new WindowDevice(both, 0, first!.size), true)).toEqual(before[0]);
        expect(await manifestOf(kind, window, true)).toEqual(before[1]);
        continue;
      }
      const after = await openVolume(kind, both);
      expect(await after.check(), `${round}`).toEqual([]);
      const found = new Map((await manifestOf(kind, both, true)).map((e) => [e.path, e]));
      const moved = (e: ManifestEntry): ManifestEntry => ({ ...e, path: `second/${e.path}` });
      const expected = [...before[0]!, ...before[1]!.map(moved)];
      for (const entry of expected) expect(found.get(entry.path)).toEqual(entry);
      expect(found.size).toBe(expected.length + 1);
      for await (const entry of after.walk())
        for await (const run of entry.kind === 'file' && entry.path.startsWith('second/') ? after.content(entry) : [])
          if (run.kind === 'at') {
            const is = await both.bytes(run.offset, run.length);
            if (Buffer.compare(is, was.subarray(run.offset, run.offset + run.length)) !== 0) carried += run.length;
          }
    }
    // Where files lay at heads of groups; else nothing is.
    expect(carried).toBeGreaterThan(0);
    expect(full).toBeLessThan(rounds(6, 60) / 3);
  });
});
