import { quickDigest } from '@/core/proof/fixtures/quick-hasher';
import { describe, expect, it } from 'vitest';
import { change, manifestOf, openVolume } from '../fixtures/volumes';
import { parseGeometry } from './boot-sector';
import { applyFixup } from './build-record';
import { CLUSTER, oddVolume, SIZE } from './fixtures/odd-volume';
import { scanMft } from './mft';
import { FLAG, RECORD, undoFixup } from './record';
import type { MemoryDevice } from '@/core/device';

async function digests(device: MemoryDevice): Promise<Map<string, string | undefined>> {
  return new Map((await manifestOf('ntfs', device)).map((e) => [e.path, e.sha256]));
}

describe('a volume with what the writer does not make', () => {
  it('is read: compressed, sparse, named streams, hard links, extents in two records', async () => {
    const { device, expected } = await oddVolume();
    const found = await digests(device);
    expect([...found.keys()].sort()).toEqual([...expected.keys()].sort());
    for (const [path, bytes] of expected) expect(found.get(path), path).toBe(quickDigest(bytes));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });

  it('keeps all of it when shrunk below every extent, and when grown back', async () => {
    const { device } = await oddVolume();
    const before = await manifestOf('ntfs', device);
    const volume = await openVolume('ntfs', device);
    expect((await volume.beyond(16 * 1024 * 1024)).items.map((i) => i.path)).toContain('extended.bin');
    await change('ntfs', device, (v, tx) => v.shrink(16 * 1024 * 1024, tx));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    expect(await manifestOf('ntfs', device)).toEqual(before);
    await change('ntfs', device, (v, tx) => v.grow(SIZE, tx));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    expect(await manifestOf('ntfs', device)).toEqual(before);
  });

  it('gives records of the older form back under their own numbers, which those do not store', async () => {
    const { device } = await oddVolume();
    const mft = await scanMft(device, parseGeometry(await device.bytes(0, 512), SIZE));
    const at = (number: number): Uint8Array => {
      const start = mft.tableRuns[0]!.lcn * CLUSTER + number * 1024;
      return device.buffer.subarray(start, start + 1024);
    };
    for (let number = 24; number < 46; number++) {
      const record = at(number);
      if (RECORD.decode(record).magic !== 'FILE' || undoFixup(record) !== 'ok') continue;
      // The update sequence stands at 0x2A, right behind the next identity, over what has become the record's number.
      RECORD.encode({ sequenceOffset: 0x2a }, record);
      record.fill(0, 0x2a, RECORD.decode(record).attributesOffset);
      applyFixup(record, 0x2a);
    }
    const before = await manifestOf('ntfs', device);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    expect(RECORD.decode(at(45)).number).not.toBe(45);
    await change('ntfs', device, (v, tx) => v.shrink(16 * 1024 * 1024, tx));
    expect(await manifestOf('ntfs', device)).toEqual(before);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    const freed = RECORD.decode(at(45));
    expect([freed.number, freed.flags & FLAG.inUse]).toEqual([45, 0]);
  });

  it('keeps times to the last digit', async () => {
    const { device } = await oddVolume();
    const entry = (await manifestOf('ntfs', device)).find((e) => e.path === 'sparse.bin');
    expect(entry?.times.modified).toBe('2024-01-17T21:20:00.1234567Z');
  });
});
