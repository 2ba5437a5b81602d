import { sameBytes } from '@/core/bytes';
import { MemoryDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { fileSystemCompliance } from '../fixtures/compliance';
import { change, fillRandomly, makeVolume, manifestOf, openVolume, withRoom, write } from '../fixtures/volumes';
import { kindFacts } from '../kinds';
import { AllocationTable, BAD, END, FREE } from './allocation-table';
import { clusterOffset, kindOfCount, tableOffset } from './boot-sector';
import { loadState } from './volume-state';

const KIB = 1024;
const MIB = 1024 * KIB;

fileSystemCompliance('FAT12', { kind: 'fat12', size: 4 * MIB });
fileSystemCompliance('FAT16', { kind: 'fat16', size: 24 * MIB });
fileSystemCompliance('FAT32', { kind: 'fat32', size: 80 * MIB, clusterSize: 512 });
fileSystemCompliance('FAT32 with 4096-byte sectors', { kind: 'fat32', size: 600 * MIB, sectorSize: 4096 });
fileSystemCompliance('FAT12 with 4096-byte sectors', { kind: 'fat12', size: 12 * MIB, sectorSize: 4096 });

describe('the kind', () => {
  it('follows the count of clusters alone', () => {
    expect([4084, 4085, 65524, 65525].map(kindOfCount)).toEqual(['fat12', 'fat16', 'fat16', 'fat32']);
  });

  it('is part of the floor', async () => {
    const device = await makeVolume({ kind: 'fat32', size: 80 * MIB, clusterSize: 512 });
    const { floor } = await (await openVolume('fat32', device)).limits();
    expect(floor.reason).toContain('no longer be FAT32');
    expect(floor.bytes).toBeGreaterThan(65525 * 512);
  });
});

describe('every cluster size', () => {
  const sizes = [512, 1, 2, 4, 8, 16, 32, 64].map((n) => (n === 512 ? 512 : n * KIB));
  it.each(sizes)('of %i bytes is made, filled, shrunk and grown', async (clusterSize) => {
    const size = Math.max(70_000 * clusterSize, 40 * MIB);
    const device = await makeVolume({ kind: 'fat32', size, clusterSize });
    await fillRandomly('fat32', device, clusterSize, 0.02);
    const before = await manifestOf('fat32', device);
    const { floor } = await (await openVolume('fat32', device)).limits();
    await change('fat32', device, (volume, tx) => volume.shrink(floor.bytes, tx));
    await change('fat32', device, (volume, tx) => volume.grow(size, tx));
    expect(await manifestOf('fat32', device)).toEqual(before);
    expect(await (await openVolume('fat32', device)).check()).toEqual([]);
  });

  it('is offered only where it suits', () => {
    expect(kindFacts('fat32').clusterSizes(64 * MIB, 512)).toEqual([512]);
    expect(kindFacts('fat16').clusterSizes(2000 * MIB, 512)).toEqual([32 * KIB, 64 * KIB]);
    expect(kindFacts('fat32').clusterSizes(600 * MIB, 4096)).toEqual([4096, 8192]);
    expect(kindFacts('fat32').defaultClusterSize(14 * 1024 * MIB, 512)).toBe(8 * KIB);
  });
});

describe('growing past the end of the tables', () => {
  it.each([
    ['fat12', 1 * MIB, 7 * MIB, 2 * KIB],
    ['fat16', 20 * MIB, 200 * MIB, 4 * KIB],
    ['fat32', 40 * MIB, 900 * MIB, 512],
  ])('renumbers %s', async (kind, small, large, clusterSize) => {
    const source = await makeVolume({ kind, size: small, clusterSize });
    await fillRandomly(kind, source, 11, 0.6);
    const before = await manifestOf(kind, source, true);
    const device = new MemoryDevice(new Uint8Array(large));
    await device.write(0, await source.bytes(0, small));
    const tablesBefore = (await loadState(device)).geometry.fatSectors;
    await change(kind, device, (volume, tx) => volume.grow(large, tx));
    const { geometry } = await loadState(device);
    expect(geometry.fatSectors).toBeGreaterThan(tablesBefore);
    const volume = await openVolume(kind, device);
    expect(await volume.check()).toEqual([]);
    expect(volume.info.size).toBe(large);
    expect(await manifestOf(kind, device, true)).toEqual(before);
    await fillRandomly(kind, device, 12, 0.3).catch(() => undefined);
    expect(await (await openVolume(kind, device)).check()).toEqual([]);
  });
});

describe('bad clusters', () => {
  it('stay where they are, count in the floor, and are found again after growing', async () => {
    const size = 24 * MIB;
    const device = await makeVolume({ kind: 'fat16', size });
    await fillRandomly('fat16', device, 8, 0.2);
    const { geometry, table } = await loadState(device);
    const free = Array.from({ length: geometry.clusterCount }, (_, i) => i + 2).filter((c) => table.get(c) === FREE);
    const bad = [free[3]!, free[4]!, free.at(-1)!];
    for (const cluster of bad) table.set(cluster, BAD);
    for (const index of geometry.liveFats) await device.write(tableOffset(geometry, index), table.bytes);
    const before = await manifestOf('fat16', device);
    const { floor } = await (await openVolume('fat16', device)).limits();
    await change('fat16', device, (volume, tx) => volume.shrink(floor.bytes, tx));
    expect(await manifestOf('fat16', device)).toEqual(before);
    await change('fat16', device, (volume, tx) => volume.grow(size, tx));
    const after = (await loadState(device)).table;
    expect(bad.map((c) => after.get(c))).toEqual(bad.map(() => BAD));
  });
});

it('bad clusters hold the ceiling where a longer table would come to lie on them', async () => {
  const clusterSize = 8192;
  const device = await makeVolume({ kind: 'fat32', size: 600 * MIB, clusterSize });
  const [fixed] = await (await openVolume('fat32', device)).immovable();
  const start = fixed!.end + 10 * clusterSize;
  await change('fat32', device, (volume, tx) => volume.retire([{ start, end: start + 1 }], tx));
  const { bytes, reason } = (await (await openVolume('fat32', device)).limits()).ceiling;
  expect(reason).toMatch(/would come to lie on clusters that are marked as bad/);
  const large = await withRoom(device, bytes + MIB);
  await change('fat32', large, (volume, tx) => volume.grow(bytes, tx));
  const [grown] = await (await openVolume('fat32', large)).immovable();
  // As many clusters as are before it went to the tables, and no more.
  expect(start - grown!.end).toBeGreaterThanOrEqual(0);
  expect(start - grown!.end).toBeLessThan(2 * clusterSize);
  await expect(change('fat32', large, (volume, tx) => volume.grow(bytes + MIB, tx))).rejects.toMatchObject({
    code: 'fs.above-ceiling',
  });
});

describe('damage', () => {
  /** A volume with two files; `spoil` gets the table and their first clusters. */
  async function spoiled(spoil: (table: AllocationTable, a: number, b: number) => void) {
    const device = await makeVolume({ kind: 'fat16', size: 24 * MIB });
    await write('fat16', device, async (writer) => {
      await writer.writeFile('a.bin', { kind: 'procedural', seed: 1, size: 50_000 });
      await writer.writeFile('b.bin', { kind: 'procedural', seed: 2, size: 50_000 });
    });
    const { geometry, table } = await loadState(device);
    spoil(table, 2, 2 + Math.ceil(50_000 / geometry.clusterSize));
    for (const index of geometry.liveFats) await device.write(tableOffset(geometry, index), table.bytes);
    return { device, geometry };
  }

  it.each([
    ['a loop', 'fat.loop', (t: AllocationTable, a: number) => t.set(a + 3, a)],
    ['a crossed chain', 'fat.cross-link', (t: AllocationTable, a: number, b: number) => t.set(a + 3, b + 1)],
    ['a link to nowhere', 'fat.bad-link', (t: AllocationTable, a: number) => t.set(a + 3, 0xfff0)],
    ['a link to a free cluster', 'fat.broken-chain', (t: AllocationTable, a: number) => t.set(a + 3, 9000)],
  ])('%s is found, and the volume keeps its size even when overridden', async (_name, code, spoil) => {
    const { device } = await spoiled(spoil);
    const volume = await openVolume('fat16', device);
    expect((await volume.check()).map((f) => f.code)).toContain(code);
    const { floor, ceiling } = await volume.limits();
    expect([floor.bytes, ceiling.bytes]).toEqual([volume.info.size, volume.info.size]);
    const shrink = change('fat16', device, (v, tx) => v.shrink(12 * MIB, tx, { override: true }));
    await expect(shrink).rejects.toMatchObject({ code: 'fs.unsound' });
  });

  it('a lost chain is told and carried along', async () => {
    const { device } = await spoiled((table) => {
      table.set(11_000, 11_001);
      table.set(11_001, END);
    });
    const volume = await openVolume('fat16', device);
    expect((await volume.check()).map((f) => f.code)).toEqual(['fat.lost-clusters']);
    await change('fat16', device, (v, tx) => v.shrink(18 * MIB, tx));
    const { table, geometry } = await loadState(device);
    let used = 0;
    for (let c = 2; c < geometry.clusterCount + 2; c++) if (table.get(c) !== FREE) used += 1;
    expect(used).toBe(2 * Math.ceil(50_000 / geometry.clusterSize) + 2);
  });

  it('tables that differ are an error', async () => {
    const { device, geometry } = await spoiled(() => undefined);
    await device.write(tableOffset(geometry, 1) + 100, Uint8Array.of(0xab, 0xcd));
    const findings = await (await openVolume('fat16', device)).check();
    expect(findings.map((f) => f.code)).toEqual(['fat.tables-differ']);
  });

  it('geometry that contradicts itself is refused with the place', async () => {
    const device = await makeVolume({ kind: 'fat16', size: 24 * MIB });
    await device.write(13, Uint8Array.of(3));
    await expect(openVolume('fat16', device)).rejects.toMatchObject({ code: 'fs.damaged', facts: { offset: 13 } });
  });

  it('a volume larger than its room is refused', async () => {
    const device = await makeVolume({ kind: 'fat16', size: 24 * MIB });
    const cut = new MemoryDevice(await device.bytes(0, 20 * MIB));
    await expect(openVolume('fat16', cut)).rejects.toMatchObject({ code: 'fs.damaged' });
  });
});

describe('odd but legal', () => {
  it('reads a volume laid out as FAT32 with too few clusters by its layout, tells of it, and lets it grow', async () => {
    const device = new MemoryDevice(new Uint8Array(60 * MIB));
    const source = await makeVolume({ kind: 'fat32', size: 40 * MIB, clusterSize: 512 });
    await write('fat32', source, (writer) =>
      writer.writeFile('kept.bin', { kind: 'procedural', seed: 1, size: 700_000 }),
    );
    await device.write(0, await source.bytes(0, 40 * MIB));
    const short = new Uint8Array(Uint32Array.of(60_000).buffer);
    for (const at of [32, 6 * 512 + 32]) await device.write(at, short);
    const volume = await openVolume('fat32', device);
    expect((await volume.check()).map((f) => f.code)).toContain('fat.few-clusters');
    expect((await volume.limits()).floor.bytes).toBe(volume.info.size);
    const before = await manifestOf('fat32', device);
    await change('fat32', device, (v, tx) => v.grow(60 * MIB, tx));
    expect((await openVolume('fat32', device)).info.size).toBe(60 * MIB);
    expect(await (await openVolume('fat32', device)).check()).toEqual([]);
    expect(await manifestOf('fat32', device)).toEqual(before);
  });

  it('keeps the upper four bits of 32-bit entries', () => {
    const table = new AllocationTable('fat32', new Uint8Array(64).fill(0xff));
    table.set(5, 7);
    expect(table.get(5)).toBe(7);
    expect(table.bytes[23]! >> 4).toBe(0xf);
  });

  it('packs 12-bit entries without touching the neighbours', () => {
    const table = new AllocationTable('fat12', new Uint8Array(30));
    table.set(4, 0xabc);
    table.set(5, 0x123);
    table.set(4, 0x456);
    expect([3, 4, 5, 6].map((c) => table.get(c))).toEqual([0, 0x456, 0x123, 0]);
  });

  it('writes only the live table where mirroring is off', async () => {
    const device = await makeVolume({ kind: 'fat32', size: 80 * MIB, clusterSize: 512 });
    await fillRandomly('fat32', device, 3, 0.3);
    for (const at of [40, 6 * 512 + 40]) await device.write(at, Uint8Array.of(0x81));
    const { geometry } = await loadState(device);
    expect(geometry.liveFats).toEqual([1]);
    const first = await device.bytes(tableOffset(geometry, 0), geometry.fatSectors * 512);
    const before = await manifestOf('fat32', device);
    await change('fat32', device, (volume, tx) => volume.shrink(60 * MIB, tx));
    const now = await device.bytes(tableOffset(geometry, 0), geometry.fatSectors * 512);
    expect(sameBytes(now, first)).toBe(true);
    expect(await manifestOf('fat32', device)).toEqual(before);
  });

  it('carries the root folder of FAT32 when it lies past the end', async () => {
    const device = await makeVolume({ kind: 'fat32', size: 80 * MIB, clusterSize: 512 });
    await write('fat32', device, async (writer) => {
      await writer.mkdir('Sub');
      await writer.writeFile('Sub/x.bin', { kind: 'procedural', seed: 4, size: 5000 });
    });
    const state = await loadState(device);
    const { geometry, table } = state;
    const far = geometry.clusterCount;
    await device.copy(clusterOffset(geometry, 2), clusterOffset(geometry, far), 512);
    table.set(far, END);
    table.set(2, FREE);
    for (const index of geometry.liveFats) await device.write(tableOffset(geometry, index), table.bytes);
    for (const at of [44, 6 * 512 + 44]) await device.write(at, new Uint8Array(Uint32Array.of(far).buffer));
    const before = await manifestOf('fat32', device);
    expect(before).toHaveLength(2);
    await change('fat32', device, (volume, tx) => volume.shrink(40 * MIB, tx));
    expect(await (await openVolume('fat32', device)).check()).toEqual([]);
    expect(await manifestOf('fat32', device)).toEqual(before);
  });
});
