/** Each thing that can be wrong with an ext volume is found, and called by its name. */
import type { BlockDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { makeVolume, openVolume, write } from '../fixtures/volumes';
import { inodeAt } from './inode-table';
import { INODE, RESIZE_INODE, sealInode } from './inode';
import { mapOf, readExt, type ExtState } from './state';
import { sealSuper, SUPER, SUPER_AT } from './superblock';

const MIB = 1024 * 1024;
const BLOCK = 1024;

async function filled(kind: string): Promise<BlockDevice> {
  const device = await makeVolume({ kind, size: 24 * MIB, clusterSize: BLOCK });
  const bytes = (n: number) => ({ kind: 'bytes' as const, bytes: new Uint8Array(n).fill(n) });
  await write(kind, device, async (w) => {
    await w.mkdir('folder');
    await w.mkdir('folder/below');
    for (let i = 0; i < 120; i++) await w.writeFile(`folder/a name of some length ${i}`, bytes(100));
    await w.writeFile('one', bytes(5000), { extended: [{ name: 'user.long', value: new Uint8Array(300).fill(3) }] });
    await w.writeFile('two', bytes(3000));
    // Every second block is somebody else's, so that its tree has blocks of its own.
    for (let i = 0; i < 40; i++) await w.writeFile(`pieces ${i}`, bytes(900));
    for (let i = 0; i < 40; i += 2) await w.remove(`pieces ${i}`);
  });
  await write(kind, device, (w) => w.writeFile('torn', bytes(16_000), { placement: { fragments: 12, near: 0.5 } }));
  return device;
}

const numberOf = (state: ExtState, text: string): number => {
  for (let n = 0; n < state.names.length; n++) if (state.names.text(n) === text) return state.names.inode(n);
  throw new Error(`${text} is not there`);
};

/** Changes fields of an inode, and seals it again. */
async function changeInode(
  device: BlockDevice,
  name: string | number,
  fields: (bytes: Uint8Array) => Parameters<typeof INODE.encode>[0],
  sealed = true,
): Promise<void> {
  const state = await readExt(device);
  const number = typeof name === 'number' ? name : numberOf(state, name);
  const at = inodeAt(number, state.groups, state.g);
  const bytes = await device.bytes(at, state.g.inodeSize);
  INODE.encode(fields(bytes), bytes);
  if (sealed) sealInode(number, bytes, state.g);
  await device.write(at, bytes);
}

async function changeSuper(
  device: BlockDevice,
  fields: Parameters<typeof SUPER.encode>[0],
  sealed = true,
): Promise<void> {
  const { bytes, g } = await readExt(device);
  const changed = bytes.slice();
  SUPER.encode(fields, changed);
  if (sealed) sealSuper(changed, g.checksums);
  await device.write(SUPER_AT, changed);
}

const flip = async (device: BlockDevice, offset: number): Promise<void> => {
  const [byte] = await device.bytes(offset, 1);
  await device.write(offset, Uint8Array.of(byte! ^ 0x10));
};

type Damage = (device: BlockDevice, state: ExtState) => Promise<void>;
const SUMMED: readonly (readonly [string, string, Damage])[] = [
  ['the superblock', 'ext.super', (d) => changeSuper(d, { mountCount: 77 }, false)],
  ['a descriptor', 'ext.group', (d, { g }) => flip(d, (g.firstDataBlock + 1) * BLOCK + 0x1e)],
  ['the padding of a bitmap', 'ext.bitmap', (d, { groups }) => flip(d, groups[0]!.inodeBitmap * BLOCK + 100)],
  ['an inode', 'ext.inode', (d) => changeInode(d, 'two', () => ({ uidLow: 9 }), false)],
  [
    'a block of a folder',
    'ext.folder',
    (d, s) => flip(d, mapOf(s, numberOf(s, 'below')).extents[0]!.block * BLOCK + 900),
  ],
  ['a node of a tree', 'ext.map', (d, s) => flip(d, mapOf(s, numberOf(s, 'torn')).inner[0]! * BLOCK + 200)],
  [
    'a block of attributes',
    'ext.attributes',
    async (d, s) => {
      const { attributesLow } = INODE.decode(s.inodes.get(numberOf(s, 'one'))!);
      await flip(d, attributesLow * BLOCK + 600);
    },
  ],
];

const ANY: readonly (readonly [string, string, Damage])[] = [
  ['errors its system has found', 'ext.dirty', (d) => changeSuper(d, { state: 3 })],
  ['orphans', 'ext.orphans', (d, s) => changeSuper(d, { lastOrphan: numberOf(s, 'two') })],
  ['counts of the superblock', 'ext.counts', (d) => changeSuper(d, { freeInodes: 3 })],
  [
    'a copy of the superblock',
    'ext.copies',
    (d, { g }) => d.write((g.firstDataBlock + g.blocksPerGroup) * BLOCK, new Uint8Array(BLOCK)),
  ],
  ['a count of links', 'ext.links', (d) => changeInode(d, 'two', () => ({ links: 4 }))],
  ['a count of links of a folder', 'ext.links', (d) => changeInode(d, 'folder', () => ({ links: 9 }))],
  ['a count of blocks', 'ext.counts', (d) => changeInode(d, 'two', () => ({ blocksLow: 99 }))],
  [
    'two files with the same blocks',
    'ext.cross-link',
    async (d, s) => {
      const { map } = INODE.decode(s.inodes.get(numberOf(s, 'two'))!);
      await changeInode(d, 'one', () => ({ map }));
    },
  ],
  [
    'blocks that nobody has any more',
    'ext.lost',
    (d) =>
      changeInode(d, 'two', (bytes) => ({ map: INODE.decode(bytes).map.map((b, i) => (i === 2 ? 0 : b)), sizeLow: 0 })),
  ],
  [
    'the two names of a folder',
    'ext.dots',
    async (d, s) => {
      const place = mapOf(s, numberOf(s, 'below')).extents[0]!.block * BLOCK;
      await d.write(place + 12, Uint8Array.of(2));
    },
  ],
  [
    'a name that leads nowhere',
    'ext.name',
    async (d, s) => {
      const place = mapOf(s, 2).extents[0]!.block * BLOCK;
      const bytes = await d.bytes(place, BLOCK);
      // The first name behind the two of every folder.
      new DataView(bytes.buffer).setUint32(24, s.g.super.inodeCount, true);
      await d.write(place, bytes);
    },
  ],
  [
    'the list of what is kept for descriptors',
    'ext.resize-inode',
    (d, s) => d.write(mapOf(s, RESIZE_INODE).inner[1]! * BLOCK, new Uint8Array(4)),
  ],
];

describe.each(['ext4', 'ext2'])('%s', (kind) => {
  const tried = kind === 'ext4' ? [...SUMMED, ...ANY] : ANY.filter(([, code]) => code !== 'ext.lost');
  it.each(tried)('finds what is wrong with %s', async (_, code, damage) => {
    const device = await filled(kind);
    expect(await (await openVolume(kind, device)).check()).toEqual([]);
    await damage(device, await readExt(device));
    const found = (await (await openVolume(kind, device)).check()).map((f) => f.code);
    expect(found).toContain(code);
  });

  it('does not resize what is not sound, and passes over what does no harm', async () => {
    const device = await filled(kind);
    await changeInode(device, 'two', () => ({ links: 4 }));
    const volume = await openVolume(kind, device);
    const tx = undefined as never;
    await expect(volume.shrink(20 * MIB, tx)).rejects.toMatchObject({ code: 'fs.unsound' });
    await expect(volume.shrink(20 * MIB, tx, { override: true })).rejects.toMatchObject({ code: 'fs.unsound' });
    const other = await filled(kind);
    await changeSuper(other, { state: 0 });
    expect(await (await openVolume(kind, other)).check()).toMatchObject([{ code: 'ext.dirty', overridable: true }]);
  });
});
