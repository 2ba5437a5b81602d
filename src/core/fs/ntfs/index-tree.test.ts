import { utf16 } from '@/core/bytes';
import { describe, expect, it } from 'vitest';
import { parseGeometry } from './boot-sector';
import { buildIndex, type IndexedName } from './index-tree';
import { undoFixup } from './record';
import { toUtf16 } from './build-record';
import { makeVolume } from '../fixtures/volumes';

const fold = (name: string): string => name.toUpperCase();

async function geometryWith(clusterSize: number) {
  const device = await makeVolume({ kind: 'ntfs', size: 64 * 1024 * 1024, clusterSize });
  return parseGeometry(await device.bytes(0, 512), device.size);
}

function named(name: string, number: number): IndexedName {
  const chars = toUtf16(name);
  const key = new Uint8Array(66 + chars.length);
  key[64] = name.length;
  key.set(chars, 66);
  return { reference: BigInt(number), key, name, dos: false };
}

/** Walks the tree in order, by the pointers it holds. */
function walk(root: Uint8Array, blocks: Uint8Array, unit: number): { names: string[]; depth: number } {
  const names: string[] = [];
  let deepest = 0;
  const node = (bytes: Uint8Array, at: number, depth: number): void => {
    deepest = Math.max(deepest, depth);
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    for (;;) {
      const [length, keyLength, flags] = [
        view.getUint16(at + 8, true),
        view.getUint16(at + 10, true),
        view.getUint16(at + 12, true),
      ];
      if (flags & 1) child(Number(view.getBigUint64(at + length - 8, true)), depth + 1);
      if (flags & 2) return;
      names.push(utf16(bytes.subarray(at + 16 + 66, at + 16 + keyLength)));
      at += length;
    }
  };
  const child = (vcn: number, depth: number): void => {
    const block = blocks.slice(vcn * unit, vcn * unit + 4096);
    expect(String.fromCharCode(...block.subarray(0, 4))).toBe('INDX');
    expect(undoFixup(block)).toBe('ok');
    const view = new DataView(block.buffer);
    expect(Number(view.getBigUint64(16, true))).toBe(vcn);
    node(block, 24 + view.getUint32(24, true), depth);
  };
  node(root, 32, 0);
  return { names, depth: deepest };
}

describe('the index of a folder', () => {
  it.each([
    [0, 4096],
    [1, 4096],
    [3, 4096],
    [40, 4096],
    [41, 512],
    [700, 4096],
    [700, 65536],
    [9000, 4096],
    [9000, 512],
  ])('of %i names, with clusters of %i bytes, holds each once, in order', async (count, clusterSize) => {
    const g = await geometryWith(clusterSize);
    const list = Array.from({ length: count }, (_, i) =>
      named(`name ${(i * 7919) % 100_003} ${'x'.repeat(i % 40)}`, i + 30),
    );
    const { root, blocks, bitmap } = buildIndex(list, g, fold);
    const unit = clusterSize <= 4096 ? clusterSize : 512;
    const { names, depth } = walk(root, blocks, unit);
    expect(names).toEqual(list.map((n) => n.name).sort((a, b) => (fold(a) < fold(b) ? -1 : 1)));
    expect(root.length).toBeLessThan(500);
    expect(bitmap.reduce((sum, b) => sum + b.toString(2).replaceAll('0', '').length, 0)).toBe(blocks.length / 4096);
    expect(depth).toBeLessThanOrEqual(3);
  });

  it('is in the order of capitals, not of letters', async () => {
    const g = await geometryWith(4096);
    const { root, blocks } = buildIndex(
      ['b', 'A', 'a1', 'Z', 'ä'].map((n, i) => named(n, 30 + i)),
      g,
      fold,
    );
    expect(walk(root, blocks, 4096).names).toEqual(['A', 'a1', 'b', 'Z', 'ä']);
  });
});
