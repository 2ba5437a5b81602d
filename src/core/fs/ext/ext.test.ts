import { SparseDevice, type BlockDevice } from '@/core/device';
import { compareManifests } from '@/core/proof';
import { applyNow } from '@/core/run';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { driverOf, type ContentRun } from '..';
import { fileSystemCompliance } from '../fixtures/compliance';
import { change, fillRandomly, makeVolume, manifestOf, openVolume, withRoom, write } from '../fixtures/volumes';
import { readBlockMap, type Extent } from './block-map';
import { buildFolder } from './build-folder';
import { buildMap } from './build-map';
import { Draft } from './draft';
import { blockKindOf, entriesIn, indexIn, isBlockSealed } from './folder';
import { nameBytes, nameText } from './folder-names';
import { FLAG, INODE, inodeSeed, TYPE } from './inode';
import { readExt } from './state';
import { parseSuper, RO_COMPAT, SUPER } from './superblock';

const MIB = 1024 * 1024;

fileSystemCompliance('ext4 with blocks of 1 KiB', { kind: 'ext4', size: 48 * MIB });
fileSystemCompliance('ext4 with blocks of 4 KiB', { kind: 'ext4', size: 300 * MIB, clusterSize: 4096 });
fileSystemCompliance('ext4 on sectors of 4096', { kind: 'ext4', size: 40 * MIB, sectorSize: 4096 });
fileSystemCompliance('ext3', { kind: 'ext3', size: 40 * MIB, clusterSize: 2048 });
fileSystemCompliance('ext2', { kind: 'ext2', size: 24 * MIB });

const device = (kind: string, size: number, clusterSize: number) => makeVolume({ kind, size, clusterSize });
const sound = async (kind: string, on: BlockDevice): Promise<void> =>
  expect(await (await openVolume(kind, on)).check()).toEqual([]);

describe('names', () => {
  it('of any bytes are text that leads back to them', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 40 }), (bytes) => {
        expect([...nameBytes(nameText(bytes))]).toEqual([...bytes]);
      }),
    );
    expect(nameText(Uint8Array.of(0xef, 0xbb, 0xbf, 0x61))).toBe('\ufeffa');
  });

  it('stand in folders in which all of them are found by their hash', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.string({ minLength: 1, maxLength: 60 }), { maxLength: 400 }),
        fc.constantFrom(0, 1, 2),
        fc.boolean(),
        (names, version, summed) => {
          const entries = names.map((name, i) => ({ inode: 20 + i, name: nameBytes(name), type: 1 }));
          const index = { version, signed: 0, seed: new Uint8Array(16).fill(7), deep: false };
          const style = { blockSize: 1024, seed: summed ? 5 : undefined, typed: true, index };
          const { blocks, indexed } = buildFolder(12, 2, entries, style);
          const found: number[] = [];
          for (const [n, block] of blocks.entries()) {
            const kind = blockKindOf(block, n === 0, indexed);
            if (summed) expect(isBlockSealed(block, kind, n === 0, 5)).toBe(true);
            if (kind === 'index' && n > 0) continue;
            found.push(...entriesIn(block, 0, block.length).entries.map((e) => e.inode));
          }
          expect(found.sort((a, b) => a - b)).toEqual([2, 12, ...entries.map((e) => e.inode)].sort((a, b) => a - b));
          if (!indexed) return;
          // Every leaf is led to with the least hash in it, or one less than its mark of going on.
          const root = indexIn(blocks[0]!, true)!;
          const leaves =
            root.levels === 0 ? root.entries : root.entries.flatMap((e) => indexIn(blocks[e.block]!, false)!.entries);
          expect(new Set(leaves.map((l) => l.block)).size).toBe(leaves.length);
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('maps of blocks', () => {
  const EXTENTS = fc
    .array(fc.tuple(fc.integer({ min: 1, max: 300 }), fc.integer({ min: 0, max: 50 }), fc.boolean()), {
      maxLength: 700,
    })
    .map((parts) => {
      let [logical, block] = [0, 30];
      return parts.map(([length, gap, unwritten]): Extent => {
        logical += gap;
        block += gap + 1;
        const extent = { logical, block, length, ...(unwritten ? { unwritten: true as const } : {}) };
        logical += length;
        block += length;
        return extent;
      });
    });

  it.each([true, false])('are what they were built of, as trees: %s', async (trees) => {
    await fc.assert(
      fc.asyncProperty(EXTENTS, async (wanted) => {
        const extents = wanted.map((e) => (trees ? e : { logical: e.logical, block: e.block, length: e.length }));
        const disk = new SparseDevice(256 * MIB, 512);
        const made = await makeVolume({ kind: 'ext4', size: 256 * MIB, clusterSize: 1024 });
        const { g } = await readExt(made);
        const inode = new Uint8Array(256);
        INODE.encode({ mode: TYPE.file, flags: trees ? FLAG.extents : 0, sizeHigh: 1 }, inode);
        let next = g.blockCount;
        const { root, nodes } = buildMap(extents, trees, g, inodeSeed(20, inode, g), () => --next);
        INODE.encode({ map: root }, inode);
        for (const { block, bytes } of nodes) await disk.write(block * 1024, bytes);
        const map = await readBlockMap(disk, g, 20, inode);
        expect(map.fault).toBeUndefined();
        expect([...map.inner].sort((a, b) => a - b)).toEqual(nodes.map((n) => n.block).sort((a, b) => a - b));
        const each = (list: readonly Extent[]) =>
          list.flatMap((e) =>
            Array.from({ length: e.length }, (_, i) => [e.logical + i, e.block + i, e.unwritten ?? false]),
          );
        expect(each(map.extents)).toEqual(each(extents));
      }),
      { numRuns: 12 },
    );
  });
});

describe('resizing', () => {
  it('gives inodes of groups that go new numbers, and everything that refers to them follows', async () => {
    const on = await device('ext4', 64 * MIB, 1024);
    await write('ext4', on, async (writer) => {
      for (let f = 0; f < 40; f++) {
        await writer.mkdir(`folder ${f}`);
        for (let i = 0; i < 150; i++)
          await writer.writeFile(`folder ${f}/file ${i}`, { kind: 'bytes', bytes: new Uint8Array(10) });
        await writer.hardLink(`other name ${f}`, `folder ${f}/file 7`);
      }
    });
    const before = await manifestOf('ext4', on);
    const { inodesPerGroup } = (await readExt(on)).g;
    expect(6000 / inodesPerGroup).toBeGreaterThan(4);
    const most = Math.max(...(await readExt(on)).inodes.numbers());
    await write('ext4', on, async (writer) => {
      for (let f = 3; f < 40; f++)
        for (let i = 0; i < 150; i++) if (i !== 7) await writer.remove(`folder ${f}/file ${i}`);
    });
    const kept = before.filter((e) => !/folder ([3-9]|\d\d)\/file (?!7$)/.test(e.path));
    const { floor } = await (await openVolume('ext4', on)).limits();
    await change('ext4', on, (volume, tx) => volume.shrink(floor.bytes, tx));
    expect(Math.max(...(await readExt(on)).inodes.numbers())).toBeLessThan(most);
    await sound('ext4', on);
    expect(compareManifests(kept, await manifestOf('ext4', on)).differing).toBe(0);
  });

  it.each(['ext4', 'ext2'])(
    '%s goes past what is kept for descriptors, by meta groups, and comes back',
    async (kind) => {
      const on = await device(kind, 32 * MIB, 1024);
      await fillRandomly(kind, on, 1, 0.3);
      const before = await manifestOf(kind, on);
      const large = await withRoom(on, 70 * 2 ** 30);
      const same = await manifestOf(kind, large, true);
      await change(kind, large, (volume, tx) => volume.grow(68 * 2 ** 30, tx));
      const { super: s } = (await readExt(large)).g;
      expect([s.incompat & 0x10, s.compat & 0x10, s.firstMetaGroup > 0]).toEqual([0x10, 0, true]);
      await sound(kind, large);
      await change(kind, large, (volume, tx) => volume.shrink(30 * MIB, tx));
      await sound(kind, large);
      expect(compareManifests(same, await manifestOf(kind, large, true)).differing).toBe(0);
      expect(before).toHaveLength(same.length);
    },
  );

  it('keeps descriptors with checksums of the older kind', async () => {
    const on = await device('ext4', 48 * MIB, 1024);
    const { bytes, groups, bits } = await readExt(on);
    const older = bytes.slice();
    const { roCompat } = SUPER.decode(older);
    SUPER.encode({ roCompat: (roCompat & ~RO_COMPAT.checksums) | RO_COMPAT.groupChecksum, checksumType: 0 }, older);
    const plain = groups.map((group) => ({ ...group, blockChecksum: 0, inodeChecksum: 0 }));
    const draft = new Draft(parseSuper(older, on.size), older, plain, bits.blocks.slice(), bits.inodes.slice());
    draft.touchAll();
    await applyNow(on, 0, [], (tx) => draft.flush(tx, {}, { copies: true }));
    await fillRandomly('ext4', on, 2, 0.3);
    await sound('ext4', on);
    const before = await manifestOf('ext4', on);
    await change('ext4', on, (volume, tx) => volume.shrink(30 * MIB, tx));
    await sound('ext4', on);
    await change('ext4', on, (volume, tx) => volume.grow(48 * MIB, tx));
    await sound('ext4', on);
    expect(compareManifests(before, await manifestOf('ext4', on)).differing).toBe(0);
    await expect(change('ext4', on, (volume, tx) => volume.identify(9, tx))).rejects.toMatchObject({
      code: 'fs.ability',
    });
  });
});

describe('what is written from elsewhere', () => {
  const RUNS = fc.array(fc.tuple(fc.integer({ min: 1, max: 9000 }), fc.constantFrom('at', 'zeros', 'bytes')), {
    maxLength: 30,
  });

  it.each(['ext4', 'ext2'])('has no room for whole blocks of zeros, and reads as it was given: %s', async (kind) => {
    const other = new SparseDevice(MIB, 512);
    await other.write(
      0,
      Uint8Array.from({ length: MIB }, (_, i) => 1 + (i % 250)),
    );
    await fc.assert(
      fc.asyncProperty(RUNS, async (parts) => {
        const on = await device(kind, 8 * MIB, 1024);
        const free = (await openVolume(kind, on)).info.free;
        const runs = parts.map(([length, what]): ContentRun =>
          what === 'bytes'
            ? { kind: 'bytes', bytes: new Uint8Array(length).fill(7) }
            : what === 'zeros'
              ? { kind: 'zeros', length }
              : { kind: 'at', offset: length, length },
        );
        const size = parts.reduce((sum, [length]) => sum + length, 0);
        async function* each(): AsyncGenerator<ContentRun> {
          yield* runs;
        }
        await write(kind, on, (w) => w.writeFile('f', { kind: 'from', device: other, runs: each(), size }));
        const volume = await openVolume(kind, on);
        expect(await volume.check()).toEqual([]);
        const read = async (from: BlockDevice, list: AsyncIterable<ContentRun>): Promise<number[]> => {
          const out: number[] = [];
          for await (const run of list)
            out.push(
              ...(run.kind === 'at'
                ? await from.bytes(run.offset, run.length)
                : run.kind === 'zeros'
                  ? new Uint8Array(run.length)
                  : run.bytes),
            );
          return out;
        };
        for await (const entry of volume.walk())
          expect(
            Buffer.compare(Buffer.from(await read(on, volume.content(entry))), Buffer.from(await read(other, each()))),
          ).toBe(0);
        const zeros = parts.reduce(
          (sum, [length, what]) => sum + (what === 'zeros' ? Math.max(0, length - 2046) : 0),
          0,
        );
        expect(free - volume.info.free).toBeLessThanOrEqual(size - zeros + 8 * 1024);
      }),
      { numRuns: 25 },
    );
  });
});

describe('what nobody here may change', () => {
  it.each([
    ['a feature that is not known', { roCompat: 0x80000 }],
    ['quotas', { roCompat: RO_COMPAT.quota }],
    ['a mark that says so', { roCompat: RO_COMPAT.readOnly }],
  ])('stays as it is: %s', async (_, { roCompat }) => {
    const on = await device('ext2', 16 * MIB, 1024);
    await fillRandomly('ext2', on, 4, 0.2);
    const { bytes } = await readExt(on);
    const changed = bytes.slice();
    SUPER.encode({ roCompat: SUPER.decode(bytes).roCompat | roCompat }, changed);
    await on.write(1024, changed);
    const kind = (await driverOf('ext4')!.probe(on))!;
    const volume = await openVolume(kind, on);
    expect((await manifestOf(kind, on)).length).toBeGreaterThan(3);
    const { floor, ceiling } = await volume.limits();
    expect([floor.bytes, ceiling.bytes]).toEqual([volume.info.size, volume.info.size]);
    await expect(write(kind, on, (w) => w.mkdir('no'))).rejects.toMatchObject({ code: 'fs.ability' });
  });

  it('is not opened where a feature is needed to read it', async () => {
    const on = await device('ext2', 16 * MIB, 1024);
    const { bytes } = await readExt(on);
    SUPER.encode({ incompat: SUPER.decode(bytes).incompat | 0x80000 }, bytes);
    await on.write(1024, bytes);
    await expect(readExt(on)).rejects.toMatchObject({ code: 'fs.damaged' });
  });
});
