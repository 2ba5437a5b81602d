import fc from 'fast-check';
import { MemoryDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { makeVolume, openVolume, write } from '../fixtures/volumes';
import { parseGeometry } from './boot-sector';
import { NtfsFile } from './file';
import { FileTable, Glance } from './file-table';
import { oddVolume } from './fixtures/odd-volume';
import { readRecords, scanMft } from './mft';
import { RECORD, undoFixup } from './record';
import { RecordReader, Sight, type RecordPlace } from './record-reader';

const MIB = 1024 * 1024;

/** All that is known of a file, as plain data. */
function told(file: NtfsFile): unknown {
  const { number, sequence, folder, links, attributes, names, shortNames, extensions, times } = file;
  const streams = file.streams.map(
    ({ type, name, flags, compressionUnit, allocated, size, initialised, runs, value }) => {
      return { type, name, flags, compressionUnit, allocated, size, initialised, runs, value: value && [...value] };
    },
  );
  return { number, sequence, folder, links, attributes, names, shortNames, extensions, times, streams };
}

function placeOf(bytes: Uint8Array): RecordPlace {
  return { bytes, view: new DataView(bytes.buffer, bytes.byteOffset, bytes.length), at: 0 };
}

/** The records of a volume whose update sequences were undone. */
async function recordsOf(device: MemoryDevice): Promise<{ reader: RecordReader; records: Uint8Array[] }> {
  const g = parseGeometry(await device.bytes(0, 512), device.size);
  const { tableRuns, records: count } = await scanMft(device, g);
  const records: Uint8Array[] = [];
  for await (const { bytes } of readRecords(device, g, tableRuns, count)) {
    const copy = bytes.slice();
    if (RECORD.decode(copy).magic === 'FILE' && undoFixup(copy) === 'ok') records.push(copy);
  }
  return { reader: new RecordReader(g), records };
}

describe('the table of files', () => {
  it('tells of a plain file what its record says, whatever the record is', async () => {
    const { reader, records } = await recordsOf((await oddVolume()).device);
    const sight = new Sight();
    let plain = 0;
    const damage = fc.array(fc.tuple(fc.nat(1023), fc.nat(255)), { maxLength: 3 });
    fc.assert(
      fc.property(fc.nat(records.length - 1), damage, (index, changes) => {
        const record = records[index]!.slice();
        for (const [at, value] of changes) record[at] = value;
        const place = placeOf(record);
        if (!reader.look(place, sight) || !sight.plain) return;
        plain += 1;
        const table = new FileTable(8, reader);
        table.putPlain(7, place, sight);
        const whole = new NtfsFile(7);
        reader.header(whole, place);
        reader.record(whole, place, { take: (stream) => whole.addStream(stream), badRuns: () => expect.unreachable() });
        expect(told(table.get(7)!)).toEqual(told(whole));
        expect([...table.values()].map((f) => f.number)).toEqual([7]);
        expect([table.isFolder(7), table.sequenceOf(7)]).toEqual([whole.folder, whole.sequence]);
        expect([table.isFolder(6), table.sequenceOf(6)]).toEqual([false, undefined]);
        const glance = new Glance();
        if (table.glance(7, glance) !== true) return;
        const bytes = glance.names.subarray(glance.nameFrom, glance.nameFrom + glance.nameLength);
        expect(whole.names).toEqual([{ parent: glance.parent, name: String.fromCharCode(...bytes) }]);
        expect([glance.folder, glance.attributes]).toEqual([whole.folder, whole.attributes]);
      }),
      { numRuns: 3000 },
    );
    expect(plain).toBeGreaterThan(500);
  });

  it('keeps what does not fit in a block in the next', async () => {
    const { reader, records } = await recordsOf((await oddVolume()).device);
    const sight = new Sight();
    const places = records.map(placeOf).filter((place) => reader.look(place, sight) && sight.plain);
    const table = new FileTable(20_000, reader);
    for (let number = 0; number < table.records; number++) {
      const place = places[number % places.length]!;
      reader.look(place, sight);
      table.putPlain(number, place, sight);
    }
    const names = places.map((_, i) => table.get(i)!.name);
    for (const file of table.values()) expect(file.name).toBe(names[file.number % places.length]);
  });

  it('has no room beyond its records', async () => {
    const { reader, records } = await recordsOf((await oddVolume()).device);
    const sight = new Sight();
    reader.look(placeOf(records[5]!), sight);
    const table = new FileTable(4, reader);
    expect(() => table.putPlain(4, placeOf(records[5]!), sight)).toThrow(RangeError);
    expect(() => table.putWhole(new NtfsFile(4))).toThrow(RangeError);
    expect(table.get(4)).toBeUndefined();
  });
});

describe('a walk', () => {
  it('gives names of any script in the order of the table, and what they hold by their ids', async () => {
    const names = ['plain.txt', 'Übersicht.txt', '写真.jpg', 'half \ud800 pair', '$Extending', 'last.txt'];
    const device = await makeVolume({ kind: 'ntfs', size: 24 * MIB });
    await write('ntfs', device, async (writer) => {
      for (const [i, name] of names.entries())
        await writer.writeFile(name, { kind: 'bytes', bytes: Uint8Array.of(i, i) });
      await writer.mkdir('$Extended things');
      await writer.writeFile('$Extended things/within', { kind: 'bytes', bytes: Uint8Array.of(9) });
    });
    const volume = await openVolume('ntfs', device);
    const found: [string, number[]][] = [];
    for await (const entry of volume.walk()) {
      const held: number[] = [];
      for await (const run of volume.content(entry)) if (run.kind === 'bytes') held.push(...run.bytes);
      found.push([entry.path, held]);
    }
    const files = names.map((name, i) => [name, [i, i]]);
    expect(found).toEqual([...files, ['$Extended things', []], ['$Extended things/within', [9]]]);
  });

  it('counts what lies behind an end once, however many names it has', async () => {
    const { device } = await oddVolume();
    const volume = await openVolume('ntfs', device);
    const { bytes, items } = await volume.beyond(0);
    expect(items.reduce((sum, item) => sum + item.bytes, 0)).toBe(bytes);
    expect(bytes).toBeLessThan(volume.info.used);
    expect(new Set(items.map((i) => i.path)).size).toBe(items.length);
  });
});
