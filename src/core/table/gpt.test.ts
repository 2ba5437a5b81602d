import { crc32, sameBytes } from '@/core/bytes';
import { MemoryDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { flagsIn, gptRoom, readTable, tableWrites, withFlags, type GptDisk, type GptEntry } from '.';

const SECTORS = 4096;
const hex = (length: number) =>
  fc.string({ unit: fc.constantFrom(...'0123456789ABCDEF'), minLength: length, maxLength: length });
const guid = fc.tuple(hex(8), hex(4), hex(4), hex(4), hex(12)).map((parts) => parts.join('-'));
const entryFacts = fc.record({
  typeGuid: guid.filter((g) => !/^[0-]+$/.test(g)),
  guid,
  attributes: hex(16),
  name: fc.string({ maxLength: 36 }).filter((name) => !name.includes('\0') && name.length <= 36),
});

/** Tables whose entries lie one after the other, in slots of their own. */
const table = fc
  .record({
    diskGuid: guid,
    entryCount: fc.constantFrom(4, 128, 200),
    entrySize: fc.constantFrom(128, 256, 512),
    facts: fc.uniqueArray(entryFacts, { maxLength: 4, selector: (f) => f.guid }),
  })
  .map(({ facts, ...rest }): GptDisk => {
    const entries = facts.map((fact, slot): GptEntry => ({
      ...fact,
      slot,
      firstLba: 2000 + slot * 100,
      lastLba: 2099 + slot * 100,
    }));
    return { kind: 'gpt', ...rest, entries };
  });

async function diskWith(gpt: GptDisk, sectorSize = 512, sectors = SECTORS): Promise<MemoryDevice> {
  const device = new MemoryDevice(new Uint8Array(sectors * sectorSize), sectorSize);
  for (const { offset, bytes } of await tableWrites(device, gpt)) await device.write(offset, bytes);
  return device;
}

/** Makes a header's checksums agree with its entries again, as whoever changed them did. */
function seal(bytes: Uint8Array, at: number, array: Uint8Array): void {
  const view = new DataView(bytes.buffer, at, 92);
  view.setUint32(88, crc32(array), true);
  view.setUint32(16, 0, true);
  view.setUint32(16, crc32(bytes.subarray(at, at + 92)), true);
}

const SAMPLE: GptDisk = {
  kind: 'gpt',
  diskGuid: '11111111-2222-4333-8444-555555555555',
  entryCount: 128,
  entrySize: 128,
  entries: [
    {
      slot: 1,
      typeGuid: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
      guid: 'AAAAAAAA-BBBB-4CCC-8DDD-EEEEEEEEEEEE',
      firstLba: 2048,
      lastLba: 3000,
      attributes: '8000000000000001',
      name: 'Gärten 植',
    },
  ],
};

describe('a GUID table', () => {
  it('is read as it was written, with both sector sizes and entries of any size', async () => {
    await fc.assert(
      fc.asyncProperty(table, fc.constantFrom(512, 4096), async (gpt, sectorSize) => {
        const device = await diskWith(gpt, sectorSize);
        expect(await readTable(device)).toEqual({ table: gpt, findings: [] });
        // Written again it gives the same bytes.
        const before = device.buffer.slice();
        for (const { offset, bytes } of await tableWrites(device, gpt)) await device.write(offset, bytes);
        expect(sameBytes(device.buffer, before)).toBe(true);
      }),
      { numRuns: 60 },
    );
  });

  it.each<[string, (d: MemoryDevice) => void, string]>([
    ['the header', (d) => void (d.buffer[512 + 40]! ^= 1), 'gpt.primary'],
    ['the entries', (d) => void (d.buffer[1024 + 128 + 60]! ^= 1), 'gpt.primary'],
    ['everything at the start', (d) => void d.buffer.fill(0, 512, 20_000), 'gpt.primary'],
    ['the backup’s header', (d) => void d.buffer.fill(0, (SECTORS - 1) * 512), 'gpt.backup'],
    ['the backup’s entries', (d) => void (d.buffer[(SECTORS - 33) * 512 + 130]! ^= 1), 'gpt.backup'],
    ['the protective record', (d) => void d.buffer.fill(0, 0, 512), 'gpt.protective'],
  ])('is whole without %s, which is told and mended when it is written', async (_name, damage, code) => {
    const device = await diskWith(SAMPLE);
    const whole = device.buffer.slice();
    damage(device);
    const read = await readTable(device);
    expect(read.table).toEqual(SAMPLE);
    expect(read.findings.map((f) => f.code)).toEqual([code]);
    for (const { offset, bytes } of await tableWrites(device, read.table)) await device.write(offset, bytes);
    expect(await readTable(device)).toEqual({ table: SAMPLE, findings: [] });
    expect(sameBytes(device.buffer, whole)).toBe(true);
  });

  it('that was made for a smaller disk is known by its backup, which goes to the end', async () => {
    const small = await diskWith(SAMPLE);
    const device = new MemoryDevice(new Uint8Array(2 * SECTORS * 512));
    device.buffer.set(small.buffer);
    const { table: found, findings } = await readTable(device);
    expect(findings.map((f) => f.code)).toEqual(['gpt.backup-place']);
    for (const { offset, bytes } of await tableWrites(device, found)) await device.write(offset, bytes);
    expect(await readTable(device)).toEqual({ table: SAMPLE, findings: [] });
  });

  it('with both copies damaged is refused', async () => {
    const device = await diskWith(SAMPLE);
    device.buffer[512 + 40]! ^= 1;
    device.buffer.fill(0, (SECTORS - 1) * 512);
    await expect(readTable(device)).rejects.toMatchObject({ code: 'table.damaged' });
  });

  it('tells entries that overlap, leave the disk, or share a GUID', async () => {
    const [entry] = SAMPLE.entries as [GptEntry];
    const bad = {
      ...SAMPLE,
      entries: [
        entry,
        { ...entry, slot: 2, firstLba: 2500, lastLba: 9000 },
        { ...entry, slot: 3, firstLba: 50, lastLba: 40 },
      ],
    };
    const { findings } = await readTable(await diskWith(bad));
    expect(new Set(findings.map((f) => f.code))).toEqual(new Set(['table.overlap', 'table.past-end', 'table.twin']));
  });

  it('keeps what others wrote into their entries, and not what belongs to another volume', async () => {
    const wide = { ...SAMPLE, entrySize: 256 };
    const device = await diskWith(wide);
    const arrays = [1024, (SECTORS - 65) * 512];
    const headers = [512, (SECTORS - 1) * 512];
    const extra = 256 + 200;
    for (const [i, at] of arrays.entries()) {
      device.buffer[at + extra] = 0x5a;
      seal(device.buffer, headers[i]!, device.buffer.subarray(at, at + 128 * 256));
    }
    const put = async (gpt: GptDisk): Promise<void> => {
      for (const { offset, bytes } of await tableWrites(device, gpt)) await device.write(offset, bytes);
      expect(await readTable(device)).toEqual({ table: gpt, findings: [] });
    };
    const [entry] = wide.entries as [GptEntry];
    await put({ ...wide, entries: [{ ...entry, lastLba: 2900 }] });
    expect(arrays.map((at) => device.buffer[at + extra])).toEqual([0x5a, 0x5a]);
    await put({ ...wide, entries: [{ ...entry, guid: wide.diskGuid }] });
    expect(arrays.map((at) => device.buffer[at + extra])).toEqual([0, 0]);
    expect(gptRoom(wide, SECTORS * 512, 512)).toEqual({ first: 66 * 512, last: (SECTORS - 65) * 512 });
  });

  it('has flags among its attributes, and other bits stay as they are', () => {
    expect(flagsIn('C000000000000001')).toEqual(['required', 'hidden', 'no-letter']);
    expect(withFlags('00000000000000F1', ['no-letter'])).toBe('80000000000000F0');
    fc.assert(
      fc.property(hex(16), (attributes) => {
        expect(withFlags(attributes, flagsIn(attributes))).toBe(attributes);
      }),
    );
  });

  it('whatever is changed in it, is read, told or refused, and never thrown on otherwise', async () => {
    const device = await diskWith(SAMPLE);
    const whole = device.buffer.slice();
    const change = fc.tuple(fc.nat(20_000), fc.nat(255), fc.boolean());
    await fc.assert(
      fc.asyncProperty(fc.array(change, { minLength: 1, maxLength: 8 }), async (changes) => {
        device.buffer.set(whole);
        for (const [at, value, late] of changes) device.buffer[late ? device.size - 1 - at : at] = value;
        try {
          await readTable(device);
        } catch (error) {
          if (!isCoreError(error, 'table.damaged')) throw error;
        }
      }),
      { numRuns: 300 },
    );
  });
});
