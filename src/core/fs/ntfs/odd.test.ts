import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { change, manifestOf, openVolume } from '../fixtures/volumes';
import { oddVolume, SIZE } from './fixtures/odd-volume';
import type { MemoryDevice } from '@/core/device';

const sha = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

async function digests(device: MemoryDevice): Promise<Map<string, string | undefined>> {
  return new Map((await manifestOf('ntfs', device)).map((e) => [e.path, e.sha256]));
}

describe('a volume with what the writer does not make', () => {
  it('is read: compressed, sparse, named streams, hard links, extents in two records', async () => {
    const { device, expected } = await oddVolume();
    const found = await digests(device);
    expect([...found.keys()].sort()).toEqual([...expected.keys()].sort());
    for (const [path, bytes] of expected) expect(found.get(path), path).toBe(sha(bytes));
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

  it('keeps times to the last digit', async () => {
    const { device } = await oddVolume();
    const entry = (await manifestOf('ntfs', device)).find((e) => e.path === 'sparse.bin');
    expect(entry?.times.modified).toBe('2024-01-17T21:20:00.1234567Z');
  });
});
