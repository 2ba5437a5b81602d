/** Links and identities on NTFS: the views by which they are found follow when files come and go. */
import { describe, expect, it } from 'vitest';
import { symbolicLink } from '@/core/run/fixtures/trees';
import { makeVolume, openVolume, write } from '../fixtures/volumes';
import { mountPoint, targetIn } from './mount-point';

const MIB = 1024 * 1024;
const text = (words: string) => ({ kind: 'bytes' as const, bytes: new TextEncoder().encode(words) });

describe('links', () => {
  it('by the hundred are found by their view, and leave it when they go', async () => {
    const device = await makeVolume({ kind: 'ntfs', size: 24 * MIB });
    await write('ntfs', device, async (w) => {
      await w.mkdir('links');
      for (let i = 0; i < 400; i++)
        await w.writeFile(`links/${i}`, text(''), { reparse: symbolicLink(`..\\target ${i}`) });
      await w.mkdir('other');
      await w.mkdir('other/mounted', { reparse: mountPoint('E:\\here') });
    });
    const volume = await openVolume('ntfs', device);
    expect(await volume.check()).toEqual([]);
    const kinds = new Map<string, string>();
    for await (const entry of volume.walk()) kinds.set(entry.path, entry.kind);
    expect([kinds.get('links/399'), kinds.get('other/mounted')]).toEqual(['link', 'link']);
    for await (const entry of volume.walk())
      if (entry.path === 'links/7') expect((await volume.details(entry)).target).toBe('..\\target 7');
    await write('ntfs', device, (w) => w.remove('links'));
    await write('ntfs', device, (w) => w.remove('other'));
    const after = await openVolume('ntfs', device);
    expect(await after.check()).toEqual([]);
    expect((await after.walk()[Symbol.asyncIterator]().next()).done).toBe(true);
  });

  it('of which the bytes make no sense lead nowhere', () => {
    const whole = mountPoint('D:\\a');
    expect(targetIn(whole)).toBe('D:\\a');
    for (let length = 0; length < 16; length++) expect(targetIn(whole.slice(0, length))).toBeUndefined();
    const beyond = whole.slice();
    new DataView(beyond.buffer).setUint16(14, 60_000, true);
    expect(targetIn(beyond)).toBeUndefined();
  });

  it('shared names keep a file until the last of them goes', async () => {
    const device = await makeVolume({ kind: 'ntfs', size: 12 * MIB });
    await write('ntfs', device, async (w) => {
      await w.mkdir('a');
      await w.writeFile('a/one', text('the same file'.repeat(200)));
      await w.hardLink('two', 'a/one');
      await w.hardLink('a/three', 'two');
    });
    await write('ntfs', device, (w) => w.remove('a'));
    const volume = await openVolume('ntfs', device);
    expect(await volume.check()).toEqual([]);
    const paths: string[] = [];
    for await (const entry of volume.walk()) paths.push(entry.path);
    expect(paths).toEqual(['two']);
    await write('ntfs', device, (w) => w.remove('two'));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });
});
