import { MemoryDevice, SparseDevice } from '@/core/device';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { fileSystemCompliance } from '../fixtures/compliance';
import { change, fillRandomly, makeVolume, manifestOf, openVolume, withRoom, write } from '../fixtures/volumes';
import { buildUpcase } from '../case-table';
import { compareManifests } from '@/core/proof';
import { bootChecksum, parseGeometry } from './boot-region';
import { parseCaseTable, storedCaseTable } from './case-table';
import {
  buildSet,
  ENTRY_BYTES,
  FILE,
  nameHash,
  nameHashIn,
  nameIn,
  nameLengthIn,
  setChecksum,
  STREAM,
  TYPE,
} from './entries';
import { clusterSizesFor } from './kinds';
import { readTree } from './tree';

const KIB = 1024;
const MIB = 1024 * KIB;

fileSystemCompliance('exFAT', { kind: 'exfat', size: 64 * MIB });
fileSystemCompliance('exFAT with clusters of 512 bytes', { kind: 'exfat', size: 6 * MIB, clusterSize: 512 });
fileSystemCompliance('exFAT with clusters of 128 KiB', { kind: 'exfat', size: 600 * MIB, clusterSize: 128 * KIB });
fileSystemCompliance('exFAT with 4096-byte sectors', { kind: 'exfat', size: 48 * MIB, sectorSize: 4096 });

describe('a set where it stands', () => {
  it('spells the name it was made of, with the hash and the checksum of it', () => {
    const upcase = buildUpcase();
    const facts = { attributes: 32, times: {}, flags: 1, firstCluster: 5, length: 1 };
    const names = fc.array(fc.integer({ min: 0x20, max: 0xffff }), { minLength: 1, maxLength: 255 });
    fc.assert(
      fc.property(names, fc.nat(3), (units, before) => {
        const name = String.fromCharCode(...units);
        const set = buildSet(name, upcase, facts);
        const at = before * ENTRY_BYTES;
        const folder = new Uint8Array(at + set.length + ENTRY_BYTES);
        folder.set(set, at);
        expect(nameIn(folder, at, set.length)).toBe(name);
        expect(nameLengthIn(folder, at, set.length)).toBe(name.length);
        expect(nameHashIn(folder, at, name.length, upcase)).toBe(nameHash(name, upcase));
        expect(setChecksum(folder, at, set.length)).toBe(setChecksum(set));
      }),
    );
  });
});

describe('every cluster size', () => {
  it.each(Array.from({ length: 17 }, (_, i) => 512 * 2 ** i))(
    'of %i bytes: made, filled, shrunk, grown',
    async (clusterSize) => {
      const size = Math.max(4 * MIB, clusterSize * 40);
      expect(clusterSizesFor(size, 512)).toContain(clusterSize);
      const device = await makeVolume({ kind: 'exfat', size, clusterSize });
      await write('exfat', device, async (writer) => {
        await writer.mkdir('Ordner');
        for (let i = 0; i < 6; i++) {
          const content = { kind: 'procedural' as const, seed: i, size: 1000 + (i % 3) * clusterSize };
          await writer.writeFile(`Ordner/Datei ${i}.bin`, content, { placement: { near: i / 7, fragments: 2 } });
        }
      });
      const before = await manifestOf('exfat', device);
      const { floor } = await (await openVolume('exfat', device)).limits();
      await change('exfat', device, (v, tx) => v.shrink(floor.bytes, tx));
      expect(await (await openVolume('exfat', device)).check()).toEqual([]);
      expect(await manifestOf('exfat', device)).toEqual(before);
      await change('exfat', device, (v, tx) => v.grow(size, tx));
      expect(await (await openVolume('exfat', device)).check()).toEqual([]);
      expect(await manifestOf('exfat', device)).toEqual(before);
    },
  );
});

describe('growing past the end of the allocation table', () => {
  it('moves the clusters behind a longer table, and everything is where its entry says', async () => {
    const source = await makeVolume({ kind: 'exfat', size: 3 * MIB, clusterSize: 512 });
    await fillRandomly('exfat', source, 3, 0.6);
    const before = await manifestOf('exfat', source, true);
    const device = new SparseDevice(200 * MIB);
    await device.write(0, await source.bytes(0, 3 * MIB));
    await change('exfat', device, (v, tx) => v.grow(200 * MIB, tx));
    const volume = await openVolume('exfat', device);
    expect(volume.info.size).toBe(200 * MIB);
    expect(await volume.check()).toEqual([]);
    expect(await manifestOf('exfat', device, true)).toEqual(before);
    await write('exfat', device, (w) => w.writeFile('later.bin', { kind: 'procedural', seed: 1, size: 100 * MIB }));
    expect((await manifestOf('exfat', device)).length).toBe(before.length + 1);
    expect(await (await openVolume('exfat', device)).check()).toEqual([]);
  });
});

describe('damage', () => {
  async function damaged(act: (device: MemoryDevice) => void): Promise<string[]> {
    const source = await makeVolume({ kind: 'exfat', size: 4 * MIB });
    await fillRandomly('exfat', source, 8, 0.4);
    const device = new MemoryDevice(await source.bytes(0, source.size));
    act(device);
    return (await (await openVolume('exfat', device)).check()).map((f) => f.code);
  }

  const view = (d: MemoryDevice): DataView => new DataView(d.buffer.buffer);
  const heapOf = (d: MemoryDevice): number => view(d).getUint32(88, true) * 512;
  const rootOf = (d: MemoryDevice): number => heapOf(d) + (view(d).getUint32(96, true) - 2) * 4096;

  it('that has folders lie over each other is found, and none is gone into for more than there is', async () => {
    const source = await makeVolume({ kind: 'exfat', size: 4 * MIB });
    await write('exfat', source, async (writer) => {
      for (const name of ['a', 'b', 'c', 'd']) await writer.mkdir(name);
    });
    const device = new MemoryDevice(await source.bytes(0, source.size));
    const [root, clusters] = [rootOf(device), view(device).getUint32(92, true)];
    for (let at = root; at < root + 4096; at += ENTRY_BYTES) {
      if (device.buffer[at] !== TYPE.file) continue;
      const set = device.buffer.subarray(at, at + 3 * ENTRY_BYTES);
      const length = BigInt(Math.floor(clusters * 0.4) * 4096);
      STREAM.encode({ flags: 3, length, validLength: length }, set, ENTRY_BYTES);
      FILE.encode({ checksum: setChecksum(set) }, set);
    }
    const { findings, owners } = await readTree(device, parseGeometry(await device.bytes(0, 512), device.size));
    const shared = findings.filter((f) => f.code === 'exfat.cross-link');
    expect(shared.map((f) => f.message)).toEqual([
      'The folder c shares its clusters with others.',
      'The folder d shares its clusters with others.',
    ]);
    expect(owners.filter((o) => o.kind === 'folder').map((o) => o.path)).toEqual(['a', 'b', 'c', 'd']);
  });

  it.each<[string, (d: MemoryDevice) => void, string]>([
    ['a boot region', (d) => void (d.buffer[130]! ^= 1), 'exfat.boot'],
    ['a backup', (d) => void (d.buffer[12 * 512 + 130]! ^= 1), 'exfat.backup-boot'],
    ['a dirty mark', (d) => void (d.buffer[106] = 2), 'exfat.dirty'],
    ['an entry set', (d) => void (d.buffer[rootOf(d) + 96 + 40]! ^= 1), 'exfat.set'],
    ['a bit of the bitmap', (d) => void (d.buffer[heapOf(d)]! &= 0xfe), 'exfat.unmarked'],
    ['a bit too many', (d) => void (d.buffer[heapOf(d) + 120]! |= 0x80), 'exfat.lost-clusters'],
  ])('to %s is found', async (_name, act, code) => {
    expect(await damaged(act)).toContain(code);
  });
});

describe('checksums and tables', () => {
  it('of a set change with every byte but their own', () => {
    const set = buildSet('Name mit Ümlaut und mehr als fünfzehn.txt', buildUpcase(), {
      attributes: 32,
      times: { modified: '2025-03-04T05:06:08.50Z' },
      flags: 1,
      firstCluster: 9,
      length: 1234,
    });
    const own = setChecksum(set);
    fc.assert(
      fc.property(fc.nat(set.length - 1), fc.integer({ min: 1, max: 255 }), (at, change) => {
        const other = set.slice();
        other[at]! ^= change;
        expect(setChecksum(other) === own).toBe(at === 2 || at === 3);
      }),
    );
  });

  it('of names do not care for case', () => {
    const upcase = buildUpcase();
    expect(nameHash('Straße.TXT', upcase)).toBe(nameHash('straße.txt', upcase));
    expect(nameHash('a', upcase)).not.toBe(nameHash('b', upcase));
  });

  it('of a region leave flags and percent out', () => {
    const region = Uint8Array.from({ length: 12 * 512 }, (_, i) => i * 7);
    const own = bootChecksum(region, 512);
    for (const at of [106, 107, 112]) region[at]! ^= 0xff;
    expect(bootChecksum(region, 512)).toBe(own);
    region[108]! ^= 1;
    expect(bootChecksum(region, 512)).not.toBe(own);
  });

  it('a case table is read as it was stored short', () => {
    expect(parseCaseTable(storedCaseTable())).toEqual(buildUpcase());
    expect(storedCaseTable().length).toBeLessThan(10_000);
    expect(parseCaseTable(new Uint8Array(4))).toBeUndefined();
  });
});

it('has its bitmap and its case table in one piece, whatever its size becomes', async () => {
  const device = await makeVolume({ kind: 'exfat', size: 6 * MIB, clusterSize: 512 });
  await fillRandomly('exfat', device, 7, 0.6);
  const large = await withRoom(device, 90 * MIB);
  const before = await manifestOf('exfat', large, true);
  // Bit by bit at first, so that the start of the clusters moves past some of the table and not all of it.
  for (const size of [...Array.from({ length: 12 }, (_, i) => 6.25 + i / 4), 30, 90]) {
    await change('exfat', large, (volume, tx) => volume.grow(size * MIB, tx));
    const { bitmap, bits, owners } = await readTree(large, parseGeometry(await large.bytes(0, 512), large.size));
    expect(owners.find((o) => o.kind === 'upcase')!.runs).toHaveLength(1);
    expect([bitmap.runs.length, bitmap.runs[0]!.length]).toEqual([1, Math.ceil(bits.length / 512)]);
    expect(await (await openVolume('exfat', large)).check()).toEqual([]);
  }
  expect(compareManifests(before, await manifestOf('exfat', large, true)).differing).toBe(0);
});
