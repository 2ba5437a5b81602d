/** What a journal has to write yet: as far as its transactions are whole, without what was revoked, and only once. */
import type { BlockDevice } from '@/core/device';
import { compareManifests } from '@/core/proof';
import { describe, expect, it } from 'vitest';
import { change, fillRandomly, makeVolume, manifestOf, openVolume, write } from '../fixtures/volumes';
import { leaveJournal } from './fixtures/journal-writer';
import { mapOf, readExt } from './state';

const MIB = 1024 * 1024;
const BLOCK = 1024;
const FORMATS = [
  ['of the first kind', 0],
  ['with numbers of 64 bits', 2],
  ['with checksums of the second version', 8],
  ['with both', 8 | 2],
  ['with checksums of the third version', 16 | 2],
] as const;

/** A volume with one file of a few blocks, and where those are. */
async function volumeWithFile(): Promise<{ device: BlockDevice; blocks: number[] }> {
  const device = await makeVolume({ kind: 'ext4', size: 24 * MIB, clusterSize: BLOCK });
  await write('ext4', device, (w) => w.writeFile('file', { kind: 'bytes', bytes: new Uint8Array(8 * BLOCK).fill(1) }));
  const state = await readExt(device);
  const { extents } = mapOf(state, state.names.inode([...state.names].findIndex((n) => n.bytes.length === 4)));
  return { device, blocks: extents.flatMap((e) => Array.from({ length: e.length }, (_, i) => e.block + i)) };
}

/** The first byte of each block of the file. */
async function seen(device: BlockDevice): Promise<number[]> {
  const state = await readExt(device);
  const volume = await openVolume('ext4', device);
  const out: number[] = [];
  for await (const entry of volume.walk()) {
    if (entry.path !== 'file') continue;
    for await (const run of volume.content(entry)) {
      if (run.kind !== 'at') throw new Error('the file is in one piece of blocks');
      for (let at = 0; at < run.length; at += BLOCK) out.push((await state.device.bytes(run.offset + at, 1))[0]!);
    }
  }
  return out;
}

const filled = (byte: number): Uint8Array => new Uint8Array(BLOCK).fill(byte);

describe.each(FORMATS)('a journal %s', (_, features) => {
  it('is brought in block by block, the last of each, and revoked ones not', async () => {
    const { device, blocks } = await volumeWithFile();
    const [a, b, c, d] = blocks as [number, number, number, number];
    const marked = filled(9);
    new DataView(marked.buffer).setUint32(0, 0xc03b3998);
    await leaveJournal(device, features, [
      {
        blocks: new Map([
          [a, filled(2)],
          [b, filled(3)],
          [c, filled(4)],
        ]),
      },
      {
        blocks: new Map([
          [a, filled(5)],
          [d, marked],
        ]),
        revoked: [c],
      },
    ]);
    expect(await seen(device)).toEqual([5, 3, 1, 0xc0, 1, 1, 1, 1]);
    expect((await openVolume('ext4', device)).info.unsettled).toBe(true);
    expect(await (await openVolume('ext4', device)).check()).toMatchObject([{ severity: 'info', code: 'ext.journal' }]);
    await change('ext4', device, (volume, tx) => volume.settle(tx));
    const after = await openVolume('ext4', device);
    expect(after.info.unsettled).toBeUndefined();
    expect(await after.check()).toEqual([]);
    expect((await device.bytes(a * BLOCK, 2))[1]).toBe(5);
    expect(await seen(device)).toEqual([5, 3, 1, 0xc0, 1, 1, 1, 1]);
  });

  it('is taken as far as it is whole', async () => {
    const { device, blocks } = await volumeWithFile();
    const [a, b] = blocks as [number, number];
    await leaveJournal(device, features, [
      { blocks: new Map([[a, filled(2)]]) },
      { blocks: new Map([[b, filled(3)]]), torn: 'commit' },
    ]);
    expect(await seen(device)).toEqual([2, 1, 1, 1, 1, 1, 1, 1]);
  });

  it('goes on at its beginning where it ends', async () => {
    const { device, blocks } = await volumeWithFile();
    const [a, b] = blocks as [number, number];
    const state = await readExt(device);
    const length = mapOf(state, state.g.super.journalInode).extents.reduce((sum, e) => sum + e.length, 0);
    await leaveJournal(
      device,
      features,
      [
        {
          blocks: new Map([
            [a, filled(6)],
            [b, filled(7)],
          ]),
        },
      ],
      length - 2,
    );
    expect(await seen(device)).toEqual([6, 7, 1, 1, 1, 1, 1, 1]);
  });

  it.runIf(features & (8 | 16))('does not take what its checksum is not of', async () => {
    const { device, blocks } = await volumeWithFile();
    const [a, b] = blocks as [number, number];
    await leaveJournal(device, features, [
      { blocks: new Map([[a, filled(2)]]) },
      { blocks: new Map([[b, filled(3)]]), torn: 'data' },
    ]);
    expect(await seen(device)).toEqual([2, 1, 1, 1, 1, 1, 1, 1]);
  });
});

describe('a volume that was not shut down', () => {
  it('is made smaller and larger with what its journal has, wherever that belongs', async () => {
    const device = await makeVolume({ kind: 'ext4', size: 24 * MIB, clusterSize: BLOCK });
    await fillRandomly('ext4', device, 3, 0.4);
    const state = await readExt(device);
    const blocks = new Map<number, Uint8Array>();
    // Blocks of files far out, which shrinking carries in.
    for (const number of state.inodes.numbers()) {
      if (number < 12) continue;
      for (const { block } of mapOf(state, number).extents)
        if (block > state.g.blockCount * 0.7 && blocks.size < 20) blocks.set(block, filled(blocks.size + 1));
    }
    expect(blocks.size).toBeGreaterThan(3);
    await leaveJournal(device, 16 | 2, [{ blocks }]);
    const before = await manifestOf('ext4', (await readExt(device)).device, true);
    const { floor } = await (await openVolume('ext4', device)).limits();
    await change('ext4', device, (volume, tx) => volume.shrink(floor.bytes, tx));
    const small = await openVolume('ext4', device);
    expect([small.info.unsettled, await small.check()]).toEqual([undefined, []]);
    expect(compareManifests(before, await manifestOf('ext4', device, true)).differing).toBe(0);
    await change('ext4', device, (volume, tx) => volume.grow(24 * MIB, tx));
    expect(compareManifests(before, await manifestOf('ext4', device, true)).differing).toBe(0);
  });

  it('takes a label, an identity and files, all of which bring its journal in first', async () => {
    const acts: Parameters<typeof change>[2][] = [
      (volume, tx) => volume.relabel('later', tx),
      (volume, tx) => volume.identify(5, tx),
      async (volume, tx) => {
        const writer = await volume.writer(tx);
        await writer.mkdir('new');
        await writer.finish();
      },
    ];
    for (const act of acts) {
      const { device, blocks } = await volumeWithFile();
      await leaveJournal(device, 0, [{ blocks: new Map([[blocks[2]!, filled(8)]]) }]);
      await change('ext4', device, act);
      const after = await openVolume('ext4', device);
      expect([after.info.unsettled, await after.check()]).toEqual([undefined, []]);
      expect(await seen(device)).toEqual([1, 1, 8, 1, 1, 1, 1, 1]);
    }
  });

  it.each([
    ['fast commits', 32, /only its own system can bring in/],
    ['features that are not known', 64, /not known here/],
  ])('is refused with %s', async (_, features, reason) => {
    const { device, blocks } = await volumeWithFile();
    await leaveJournal(device, features, [{ blocks: new Map([[blocks[0]!, filled(2)]]) }]);
    await expect(readExt(device)).rejects.toThrow(reason);
  });
});
