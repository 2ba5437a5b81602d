/** A folder leaves as a zip with every file as it is; what can't be had is zeros, and is listed. */
import { MediumDevice, type BlockDevice } from '@/core/device';
import { packZip, type ToPack } from '@/core/image';
import { fillRandomly, makeVolume, openVolume, write } from '@/core/fs/fixtures/volumes';
import { unzipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { fileChunks, saveFolder } from '.';

const MIB = 1024 * 1024;
const KINDS = ['fat16', 'exfat', 'ntfs', 'ext4'];
const LIST = '! not as it was.txt';

async function saved(kind: string, device: BlockDevice, folder = ''): Promise<Record<string, Uint8Array>> {
  const chunks: Uint8Array[] = [];
  for await (const chunk of saveFolder(await openVolume(kind, device), device, folder)) chunks.push(chunk);
  return unzipSync(Buffer.concat(chunks));
}

const text = (bytes: Uint8Array | undefined): string => new TextDecoder().decode(bytes);

describe('everything on a volume, and one of its folders', () => {
  it.each(KINDS)('of %s', async (kind) => {
    const device = await makeVolume({ kind, size: 24 * MIB });
    await fillRandomly(kind, device, 5, 0.15);
    const volume = await openVolume(kind, device);
    const all = await saved(kind, device);
    const folders: string[] = [];
    let files = 0;
    for await (const entry of volume.walk()) {
      if (entry.kind === 'folder') {
        folders.push(entry.path);
        expect(all[`${entry.path}/`]).toEqual(new Uint8Array());
        continue;
      }
      const chunks: Uint8Array[] = [];
      for await (const chunk of fileChunks(volume, device, entry)) chunks.push(chunk);
      expect(Buffer.concat(chunks).equals(all[entry.path]!), entry.path).toBe(true);
      files++;
    }
    expect(Object.keys(all).length).toBe(files + folders.length);
    expect(files).toBeGreaterThan(10);
    const folder = folders.find((f) => f.includes('/'))!;
    const own = folder.slice(0, folder.lastIndexOf('/') + 1);
    for (const [path, bytes] of Object.entries(await saved(kind, device, folder)))
      expect(Buffer.from(bytes).equals(all[own + path]!), path).toBe(true);
    await expect(saved(kind, device, 'not there')).rejects.toMatchObject({ code: 'fs.not-found' });
  });
});

it('what can’t be read is zeros, and listed with how much of it', async () => {
  const device = await makeVolume({ kind: 'fat16', size: 24 * MIB });
  const content = new Uint8Array(20_000).fill(7);
  await write('fat16', device, async (writer) => {
    await writer.writeFile('torn.bin', { kind: 'bytes', bytes: content });
    await writer.writeFile('well.bin', { kind: 'bytes', bytes: content });
  });
  const volume = await openVolume('fat16', device);
  let at = 0;
  for await (const entry of volume.walk())
    if (entry.path === 'torn.bin')
      for await (const run of volume.content(entry)) if (run.kind === 'at') at ||= run.offset;
  const dead = [{ start: at + 1024, end: at + 2048 }];
  const medium = new MediumDevice(device, { read: 1e12, write: 1e12, seek: 0, weak: [], dead });
  const all = await saved('fat16', medium);
  expect(all['well.bin']).toEqual(content);
  expect(all['torn.bin']).toEqual(content.slice().fill(0, 1024, 2048));
  expect(text(all[LIST])).toMatch(/^torn\.bin: 1.024 of 20.000 bytes can’t be read, and are zeros\r\n$/);
});

it('what goes wrong while it is packed ends the zip with that', async () => {
  async function* torn(): AsyncGenerator<Uint8Array> {
    yield new Uint8Array(100_000).fill(3);
    throw new Error('the cable was pulled');
  }
  async function* all(): AsyncGenerator<ToPack> {
    yield { name: 'torn.bin', size: 200_000, content: torn() };
  }
  const read = async (): Promise<void> => {
    for await (const _ of packZip(all()));
  };
  await expect(read()).rejects.toThrow('the cable was pulled');
});

it('links are listed with where they lead, and no name leads out of the archive', async () => {
  const device = await makeVolume({ kind: 'ext4', size: 24 * MIB });
  const one = { kind: 'bytes', bytes: new Uint8Array([1]) } as const;
  await write('ext4', device, async (writer) => {
    await writer.mkdir('a');
    await writer.writeFile('a/..\\..\\evil.txt', one);
    await writer.writeFile('a/.._.._evil.txt', one);
    await writer.writeFile(LIST, one);
    await writer.writeFile(
      'leads',
      { kind: 'bytes', bytes: new Uint8Array() },
      { path: new TextEncoder().encode('a/b') },
    );
  });
  const all = await saved('ext4', device);
  expect(Object.keys(all).sort()).toEqual(
    [LIST, `${LIST} (2)`, 'a/', 'a/.._.._evil.txt', 'a/.._.._evil.txt (2)'].sort(),
  );
  expect(text(all[`${LIST} (2)`])).toBe('leads: a link to a/b is not saved\r\n');
});
