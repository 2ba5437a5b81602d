import { MemoryDevice } from '@/core/device';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readTable, tableWrites, type LogicalEntry, type MbrDisk } from '.';

const SECTORS = 20_000;

/** A primary, then a chain of logical volumes with their records right before them or further off. */
const table = fc
  .record({
    lengths: fc.array(fc.integer({ min: 10, max: 900 }), { minLength: 1, maxLength: 10 }),
    gaps: fc.array(fc.integer({ min: 1, max: 300 }), { minLength: 10, maxLength: 10 }),
    slot: fc.integer({ min: 1, max: 3 }),
    slack: fc.nat(500),
  })
  .map(({ lengths, gaps, slot, slack }): MbrDisk => {
    const logicals: LogicalEntry[] = [];
    let at = 2000;
    lengths.forEach((lengthSectors, i) => {
      const startLba = at + gaps[i]!;
      logicals.push({ ebrLba: at, active: false, type: 0x07, startLba, lengthSectors });
      at = startLba + lengthSectors;
    });
    return {
      kind: 'mbr',
      diskSignature: 0xabcdef01,
      primaries: [{ slot: 0, active: true, type: 0x0c, startLba: 100, lengthSectors: 1000 }],
      container: { slot, type: 0x0f, startLba: 2000, lengthSectors: at - 2000 + slack },
      logicals,
    };
  });

async function diskWith(mbr: MbrDisk, sectorSize = 512): Promise<MemoryDevice> {
  const device = new MemoryDevice(new Uint8Array(SECTORS * sectorSize), sectorSize);
  for (const { offset, bytes } of await tableWrites(device, mbr)) await device.write(offset, bytes);
  return device;
}

const SAMPLE = fc.sample(table, { numRuns: 1, seed: 7 })[0]!;

describe('logical volumes', () => {
  it('are read as they were written, whatever the chain', async () => {
    await fc.assert(
      fc.asyncProperty(table, fc.constantFrom(512, 4096), async (mbr, sectorSize) => {
        expect(await readTable(await diskWith(mbr, sectorSize))).toEqual({ table: mbr, findings: [] });
      }),
      { numRuns: 60 },
    );
  });

  it('in a chain that bites its tail, leads out, or has lost a record are read up to there', async () => {
    const second = SAMPLE.logicals[1]!.ebrLba * 512;
    const link = (target: number) => (d: MemoryDevice) =>
      new DataView(d.buffer.buffer).setUint32(second + 446 + 16 + 8, target, true);
    const cases: [(d: MemoryDevice) => void, RegExp][] = [
      [link(SAMPLE.logicals[1]!.ebrLba - 2000), /comes back/],
      [link(0), /leads out/],
      [link(15_000), /leads out|missing/],
      [(d) => void d.buffer.fill(0, second, second + 512), /missing/],
      [(d) => new DataView(d.buffer.buffer).setUint32(second + 446 + 12, 19_000, true), /leaves its container/],
    ];
    for (const [damage, words] of cases) {
      const device = await diskWith(SAMPLE);
      damage(device);
      const { table: found, findings } = await readTable(device);
      expect(findings[0]).toMatchObject({ severity: 'error', code: 'table.chain' });
      expect(findings[0]!.message).toMatch(words);
      expect((found as MbrDisk).logicals.length).toBeGreaterThan(0);
      expect((found as MbrDisk).logicals.length).toBeLessThan(3);
    }
  });

  it('that overlap are told', async () => {
    const [first, second] = SAMPLE.logicals as [LogicalEntry, LogicalEntry];
    const device = await diskWith({
      ...SAMPLE,
      logicals: [first, { ...second, startLba: second.startLba, ebrLba: first.startLba + 2, lengthSectors: 5 }],
    });
    expect((await readTable(device)).findings.map((f) => f.code)).toContain('table.overlap');
  });

  it('whatever is changed in the chain, end somewhere', async () => {
    const device = await diskWith(SAMPLE);
    const whole = device.buffer.slice();
    const records = [0, ...SAMPLE.logicals.map((l) => l.ebrLba)];
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.constantFrom(...records), fc.integer({ min: 446, max: 509 }), fc.nat(255)), {
          minLength: 1,
          maxLength: 12,
        }),
        async (changes) => {
          device.buffer.set(whole);
          for (const [lba, at, value] of changes) device.buffer[lba * 512 + at] = value;
          const { table: found } = await readTable(device);
          expect(found.kind === 'mbr' ? found.logicals.length : 0).toBeLessThan(257);
        },
      ),
      { numRuns: 300 },
    );
  });

  it('a boot record that comes after a GUID table takes that table’s headers away', async () => {
    const device = await diskWith(SAMPLE);
    const gpt = {
      kind: 'gpt' as const,
      diskGuid: '11111111-2222-4333-8444-555555555555',
      entryCount: 128,
      entrySize: 128,
      entries: [],
    };
    for (const { offset, bytes } of await tableWrites(device, gpt)) await device.write(offset, bytes);
    expect((await readTable(device)).table.kind).toBe('gpt');
    for (const { offset, bytes } of await tableWrites(device, SAMPLE)) await device.write(offset, bytes);
    expect((await readTable(device)).table).toEqual(SAMPLE);
    expect(device.buffer.subarray(512, 1024).every((b) => b === 0)).toBe(true);
    expect(device.buffer.subarray(-512).every((b) => b === 0)).toBe(true);
  });
});
