import { isCoreError } from '@/core/errors';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { parseAttributeList, serialiseAttributeList } from './attribute-list';
import type { NewAttribute } from './build-record';
import { FileRecords, type RecordSource } from './file-records';
import { parseAttributes } from './attribute-cursor';
import { FLAG, RECORD, recordOf, TYPE, undoFixup } from './record';
import { clustersOf, encodeRuns, type DataRun } from './runlist';

const SIZES = { recordSize: 1024, clusterSize: 4096, clusterCount: 1 << 24 };
const NUMBER = 40;

/** Records in memory, free ones handed out in order, clusters from the end of the volume. */
class Fake implements RecordSource {
  readonly records = new Map<number, Uint8Array>();
  readonly stored = new Map<number, Uint8Array>();
  freed = 0;
  #next = 100;
  #lcn = 15_000_000;

  async take(): Promise<{ number: number; sequence: number }> {
    this.#next += 1;
    return { number: this.#next, sequence: 3 };
  }

  allocate(clusters: number): DataRun[] {
    this.#lcn += clusters + 1;
    return [{ lcn: this.#lcn, length: clusters }];
  }

  freeLater(): void {
    this.freed += 1;
  }

  async fill(runs: readonly DataRun[], bytes: Uint8Array): Promise<void> {
    this.stored.set(runs[0]!.lcn, bytes.slice());
  }

  async put(file: FileRecords): Promise<void> {
    const { records, freed } = await file.build(this);
    for (const [number, bytes] of records) this.records.set(number, bytes);
    for (const number of freed) this.records.delete(number);
  }

  load(): Promise<FileRecords> {
    const extensions = [...this.records.keys()].filter((n) => n !== NUMBER);
    return FileRecords.load(NUMBER, extensions, async (n) => this.records.get(n)!.slice(), SIZES);
  }
}

const run = fc.record({ lcn: fc.integer({ min: 1, max: 1_000_000 }), length: fc.integer({ min: 1, max: 4 }) });
/** Runs that do not join, so that what is read is what was written. */
const runs = fc
  .array(run, { minLength: 1, maxLength: 900 })
  .map((list) => list.map(({ lcn, length }, i): DataRun => ({ lcn: lcn * 8 + (i % 2), length })));
const names = fc.uniqueArray(fc.constantFrom('', 'a', 'Zone.Identifier', 'middle', 'ZZ'), {
  minLength: 1,
  maxLength: 4,
});

function attributesOf(streams: readonly string[], lists: readonly DataRun[][]): NewAttribute[] {
  return [
    { type: TYPE.standardInformation, value: new Uint8Array(72).fill(7) },
    { type: TYPE.fileName, value: new Uint8Array(66 + 40).fill(3), indexed: true },
    { type: TYPE.data, name: 'resident', value: new Uint8Array(200).fill(9) },
    ...streams.map((name, i): NewAttribute => {
      const own = lists[i % lists.length]!;
      const bytes = clustersOf(own) * SIZES.clusterSize;
      return { type: TYPE.data, name, runs: own, allocated: bytes, size: bytes - 5 };
    }),
  ];
}

describe('a file over its records', () => {
  it('comes back as it was put, however many records it takes', async () => {
    await fc.assert(
      fc.asyncProperty(names, fc.array(runs, { minLength: 1, maxLength: 3 }), async (streams, lists) => {
        const fake = new Fake();
        const made = FileRecords.create(NUMBER, 5, FLAG.inUse, attributesOf(streams, lists), SIZES);
        await fake.put(made);
        const again = await fake.load();
        for (const [i, name] of streams.entries()) {
          const own = lists[i % lists.length]!;
          expect(again.runsOf(TYPE.data, name)).toEqual(own);
          expect(again.sizeOf(TYPE.data, name)).toBe(clustersOf(own) * SIZES.clusterSize - 5);
        }
        expect(again.valueOf(TYPE.data, 'resident')).toEqual(new Uint8Array(200).fill(9));
        expect(again.valueOf(TYPE.fileName)).toEqual(new Uint8Array(106).fill(3));
        expect(again.sequence).toBe(5);
      }),
      { numRuns: 40 },
    );
  });

  it('lists every attribute and piece once, in order, where it is', async () => {
    const fake = new Fake();
    const list = Array.from({ length: 700 }, (_, i): DataRun => ({ lcn: 1000 + i * 977, length: 1 + (i % 3) }));
    await fake.put(FileRecords.create(NUMBER, 5, FLAG.inUse, attributesOf(['', 'b'], [list]), SIZES));
    const base = fake.records.get(NUMBER)!.slice();
    expect(undoFixup(base)).toBe('ok');
    const held = parseAttributes(base)!.find((a) => a.type === TYPE.attributeList)!;
    const bytes = held.value ?? [...fake.stored.values()][0]!;
    const entries = parseAttributeList(bytes.subarray(0, held.dataSize));
    const inRecords = [...fake.records].flatMap(([number, record]) => {
      const copy = record.slice();
      expect(undoFixup(copy)).toBe('ok');
      const { base: reference, flags } = RECORD.decode(copy);
      expect(flags & FLAG.inUse).toBe(FLAG.inUse);
      if (number !== NUMBER) expect(recordOf(reference)).toBe(NUMBER);
      const attributes = parseAttributes(copy)!.filter((a) => a.type !== TYPE.attributeList);
      const types = attributes.map((a) => a.type);
      expect(types).toEqual([...types].sort((a, b) => a - b));
      return attributes.map((a) => `${a.type} ${a.name} ${a.lowestVcn} ${number}`);
    });
    const listed = entries.map((e) => `${e.type} ${e.name} ${e.lowestVcn} ${recordOf(e.reference)}`);
    expect([...listed].sort()).toEqual(inRecords.sort());
    const order = entries.map((e) => e.type * 1e9 + e.lowestVcn);
    expect(entries.filter((e) => e.name === '').map((e) => e.type * 1e9 + e.lowestVcn)).toEqual(
      order.filter((_, i) => entries[i]!.name === '').sort((a, b) => a - b),
    );
  });

  it('gives records back when it needs fewer, with another sequence number', async () => {
    const fake = new Fake();
    const list = Array.from({ length: 900 }, (_, i): DataRun => ({ lcn: 1000 + i * 977, length: 1 }));
    await fake.put(FileRecords.create(NUMBER, 5, FLAG.inUse, attributesOf([''], [list]), SIZES));
    expect(fake.records.size).toBeGreaterThan(4);
    const file = await fake.load();
    file.setRuns(TYPE.data, '', [{ lcn: 5, length: 900 }], { allocated: 900 * 4096 });
    const { records, freed } = await file.build(fake);
    expect(freed.length).toBe(fake.records.size - 1);
    for (const number of freed) {
      const header = RECORD.decode(records.get(number)!);
      expect([header.flags, header.sequence, header.base]).toEqual([0, 4, 0n]);
    }
    const base = records.get(NUMBER)!.slice();
    undoFixup(base);
    expect(parseAttributes(base)!.some((a) => a.type === TYPE.attributeList)).toBe(false);
  });

  it('refuses what fits no record, and what has a gap', async () => {
    const big = { type: TYPE.data, name: '', value: new Uint8Array(990) };
    const file = FileRecords.create(NUMBER, 1, FLAG.inUse, [big], SIZES);
    await expect(file.build(new Fake())).rejects.toMatchObject({ code: 'fs.record-full' });
    const fake = new Fake();
    const list = Array.from({ length: 700 }, (_, i): DataRun => ({ lcn: 1000 + i * 977, length: 1 }));
    await fake.put(FileRecords.create(NUMBER, 5, FLAG.inUse, attributesOf([''], [list]), SIZES));
    const missing = [...fake.records.keys()].filter((n) => n !== NUMBER)[1]!;
    fake.records.delete(missing);
    await fake.load().then(
      () => expect.unreachable('a gap was not seen'),
      (error: unknown) => expect(isCoreError(error, 'fs.damaged')).toBe(true),
    );
  });

  it('a list is read as it was written, and no further than it makes sense', () => {
    const entry = fc.record({
      type: fc.constantFrom(0x10, 0x30, 0x80, 0xb0),
      name: fc.string({ maxLength: 20 }),
      lowestVcn: fc.nat(1_000_000),
      reference: fc.bigInt({ min: 0n, max: 2n ** 60n }),
      id: fc.nat(65_535),
    });
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 30 }), fc.nat(40), (entries, cut) => {
        const bytes = serialiseAttributeList(entries);
        expect(parseAttributeList(bytes)).toEqual(entries);
        expect(entries).toEqual(expect.arrayContaining(parseAttributeList(bytes.subarray(0, bytes.length - cut))));
      }),
    );
    expect(encodeRuns([])).toEqual(Uint8Array.of(0));
  });
});
