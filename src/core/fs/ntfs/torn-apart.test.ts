import { describe, expect, it } from 'vitest';
import { change, manifestOf, openVolume, write } from '../fixtures/volumes';
import { parseGeometry } from './boot-sector';
import { tornApart } from './fixtures/torn-apart';
import { scanMft, type Mft } from './mft';
import { TYPE } from './record';
import type { BlockDevice } from '@/core/device';

const MIB = 1024 * 1024;

async function tableOf(device: BlockDevice): Promise<Mft> {
  return scanMft(device, parseGeometry(await device.bytes(0, 512), device.size));
}

const hasList = (mft: Mft, record: number): boolean =>
  mft.files.get(record)!.streams.some((s) => s.type === TYPE.attributeList);

const recordNamed = (mft: Mft, name: string): number =>
  [...mft.files.values()].find((f) => f.names.some((n) => n.name === name))!.number;

describe('a volume torn into pieces', () => {
  it('has a file of thousands of extents and a table in pieces, each over many records', async () => {
    const device = await tornApart({ size: 300 * MIB, teeth: 6000, files: 1500 });
    const mft = await tableOf(device);
    expect(mft.tableRuns.length).toBeGreaterThan(300);
    expect(hasList(mft, 0)).toBe(true);
    const comb = mft.files.get(recordNamed(mft, 'comb.bin'))!;
    expect(comb.streams.find((s) => s.type === TYPE.data)!.runs).toHaveLength(6000);
    expect(comb.extensions.length).toBeGreaterThan(20);
    expect(comb.streams.find((s) => s.type === TYPE.attributeList)!.value).toBeUndefined();
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });

  it('is shrunk to half, to its floor, and grown back, every file the same', async () => {
    const size = 300 * MIB;
    const device = await tornApart({ size, teeth: 6000, files: 1500 });
    const before = await manifestOf('ntfs', device);
    const check = async (): Promise<void> => {
      expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
      expect(await manifestOf('ntfs', device)).toEqual(before);
    };
    await change('ntfs', device, (v, tx) => v.shrink(size / 2, tx));
    await check();
    const { floor } = await (await openVolume('ntfs', device)).limits();
    await change('ntfs', device, (v, tx) => v.shrink(floor.bytes, tx));
    await check();
    await change('ntfs', device, (v, tx) => v.grow(size, tx));
    await check();
    await write('ntfs', device, (w) => w.writeFile('after.txt', { kind: 'bytes', bytes: new Uint8Array(5000) }));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });

  it('gives records back when a file is carried in as one piece', async () => {
    const device = await tornApart({ size: 300 * MIB, teeth: 3000, files: 10 });
    await change('ntfs', device, (v, tx) => v.shrink(150 * MIB, tx));
    const mft = await tableOf(device);
    const comb = mft.files.get(recordNamed(mft, 'comb.bin'))!;
    expect(comb.streams.find((s) => s.type === TYPE.data)!.runs.length).toBeLessThan(20);
    expect(comb.extensions).toEqual([]);
    expect(hasList(mft, comb.number)).toBe(false);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });

  it('spills when the room before the end is itself a comb', async () => {
    const size = 200 * MIB;
    const device = await tornApart({ size, teeth: 2000, files: 5 });
    // Fills what is free at the start, so that the comb lies before the middle and room is only between its teeth.
    await change('ntfs', device, (v, tx) => v.shrink(size * 0.75, tx));
    await write('ntfs', device, async (writer) => {
      const { free } = (await openVolume('ntfs', device)).info;
      await writer.writeFile('whole.bin', { kind: 'procedural', seed: 9, size: Math.floor(free / 2) }, {});
      await writer.writeFile(
        'far.bin',
        { kind: 'procedural', seed: 10, size: 8 * MIB },
        { placement: { near: 0.9, fragments: 500 } },
      );
    });
    const before = await manifestOf('ntfs', device);
    const { floor } = await (await openVolume('ntfs', device)).limits();
    await change('ntfs', device, (v, tx) => v.shrink(floor.bytes, tx));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    expect(await manifestOf('ntfs', device)).toEqual(before);
  });

  it('keeps a folder of fifty thousand names', async () => {
    const size = 400 * MIB;
    const device = await tornApart({ size, teeth: 100, files: 5, names: 50_000 });
    const before = await manifestOf('ntfs', device);
    expect(before.length).toBeGreaterThan(50_000);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    const { floor } = await (await openVolume('ntfs', device)).limits();
    await change('ntfs', device, (v, tx) => v.shrink(floor.bytes, tx));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    expect(await manifestOf('ntfs', device)).toEqual(before);
  });
});

describe('named streams', () => {
  it('are written beside the content, short and long, and kept', async () => {
    const device = await tornApart({ size: 64 * MIB, teeth: 10, files: 1 });
    await write('ntfs', device, (writer) =>
      writer.writeFile(
        'picture.jpg',
        { kind: 'bytes', bytes: Uint8Array.of(1, 2, 3) },
        {
          streams: [
            { name: 'origin', content: { kind: 'bytes', bytes: Uint8Array.of(4, 5) } },
            { name: 'preview', content: { kind: 'procedural', seed: 3, size: 100_000 } },
          ],
        },
      ),
    );
    const entries = await manifestOf('ntfs', device);
    expect(entries.filter((e) => e.path.startsWith('picture')).map((e) => [e.path, e.size])).toEqual([
      ['picture.jpg', 3],
      ['picture.jpg:origin', 2],
      ['picture.jpg:preview', 100_000],
    ]);
    await change('ntfs', device, (v, tx) => v.shrink(40 * MIB, tx));
    expect(await manifestOf('ntfs', device)).toEqual(entries);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });
});
