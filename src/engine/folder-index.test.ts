import type { FileEntry, Volume } from '@/core/fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { FolderIndex } from './folder-index';

const entry = (path: string, size: number, modified?: string): FileEntry => ({
  path,
  kind: size < 0 ? 'folder' : 'file',
  size: Math.max(0, size),
  times: modified ? { modified } : {},
  attributes: [],
  id: path.length,
});

const ENTRIES = [
  entry('People', -1),
  entry('People/Ada', -1),
  entry('People/Ada/Fern list.txt', 10, '2024-01-02T00:00:00'),
  entry('People/Ada/Archive.bin', 900, '2021-05-06T00:00:00'),
  entry('People/fern.jpg', 50, '2025-01-01T00:00:00'),
  entry('Old ferns', -1),
  entry('Old ferns/spore.dat', 5, '2019-09-09T00:00:00'),
  entry('Old ferns/undated.dat', 6),
];

const volumeOf = (entries: readonly FileEntry[]): Volume =>
  ({
    async *walk() {
      yield* entries;
    },
  }) as unknown as Volume;

describe('the files of a volume by folder', () => {
  let index: FolderIndex;
  beforeAll(async () => {
    index = await FolderIndex.of(volumeOf(ENTRIES));
  });

  it('are found by name in any case, those that begin with it first, and below a folder only there', () => {
    const names = (path: string, text: string): string[] => index.find(path, text).items.map((i) => i.name);
    expect(names('', 'FERN')).toEqual(['fern.jpg', 'Fern list.txt', 'Old ferns']);
    expect(names('People/Ada', 'fern')).toEqual(['Fern list.txt']);
    expect(index.find('', '  ')).toEqual({ total: 0, items: [] });
    expect(names('', 'people/')).toEqual([]);
  });

  it('are counted where there are more than are shown', async () => {
    const many = Array.from({ length: 300 }, (_, i) => entry(`leaf ${i}.jpg`, i));
    const found = (await FolderIndex.of(volumeOf(many))).find('', 'leaf');
    expect([found.total, found.items.length]).toEqual([300, 200]);
  });

  it('are told by what takes most and what was left alone for longest', () => {
    const { biggest, oldest } = index.notable('');
    expect(biggest.map((i) => i.name).slice(0, 2)).toEqual(['Archive.bin', 'fern.jpg']);
    expect(oldest.map((i) => i.name)).toEqual(['spore.dat', 'Archive.bin', 'Fern list.txt', 'fern.jpg']);
    expect(index.notable('Old ferns').biggest.map((i) => i.name)).toEqual(['undated.dat', 'spore.dat']);
  });

  it('are a picture whose parts come to the whole', async () => {
    expect(index.room('')).toEqual([
      {
        ...{ path: 'People', name: 'People', kind: 'folder', bytes: 960, files: 3 },
        inside: [
          { path: 'People/Ada', name: 'Ada', kind: 'folder', bytes: 910, files: 2 },
          { path: 'People/fern.jpg', name: 'fern.jpg', kind: 'file', bytes: 50, files: 1 },
        ],
      },
      expect.objectContaining({ path: 'Old ferns', bytes: 11, files: 2 }),
    ]);
    const many = Array.from({ length: 60 }, (_, i) => entry(`${i}.bin`, i + 1));
    const parts = (await FolderIndex.of(volumeOf(many))).room('');
    expect(parts.at(-1)).toMatchObject({ kind: 'rest', name: '36 smaller', files: 36 });
    expect(parts.reduce((sum, p) => sum + p.bytes, 0)).toBe((60 * 61) / 2);
  });
});
