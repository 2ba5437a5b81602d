import { MemoryDevice, SparseDevice } from '@/core/device';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { fileSystemCompliance } from '../fixtures/compliance';
import { change, fillRandomly, makeVolume, manifestOf, openVolume, write } from '../fixtures/volumes';
import { countSet, isSet, runsOf, setBits } from '../bitmap';
import { decompressUnit } from './decompress';
import { undoFixup } from './record';
import { decodeRuns, encodeRuns, HOLE, type DataRun } from './runlist';
import { filetimeToIso, isoToFiletime } from './times';
import { buildUpcase } from '../case-table';

const KIB = 1024;
const MIB = 1024 * KIB;

fileSystemCompliance('NTFS', { kind: 'ntfs', size: 64 * MIB });
fileSystemCompliance('NTFS with clusters of 512 bytes', { kind: 'ntfs', size: 24 * MIB, clusterSize: 512 });
fileSystemCompliance('NTFS with clusters of 64 KiB', { kind: 'ntfs', size: 200 * MIB, clusterSize: 65536 });
fileSystemCompliance('NTFS with 4096-byte sectors', { kind: 'ntfs', size: 64 * MIB, sectorSize: 4096 });

describe('runlists', () => {
  const run = fc.record({ lcn: fc.integer({ min: -1, max: 2 ** 40 }), length: fc.integer({ min: 1, max: 2 ** 30 }) });
  const joined = (runs: DataRun[]): DataRun[] => runs.map(({ lcn, length }) => ({ lcn: lcn < 0 ? HOLE : lcn, length }));

  it('decode to what was encoded', () => {
    fc.assert(
      fc.property(fc.array(run, { maxLength: 40 }), (list) => {
        const runs = joined(list);
        expect(decodeRuns(encodeRuns(runs), 2 ** 42, Number.MAX_SAFE_INTEGER)).toEqual(runs);
      }),
    );
  });

  it('that leave the volume, run out of bytes or are too long are refused, never thrown on', () => {
    expect(decodeRuns(encodeRuns([{ lcn: 90, length: 20 }]), 100, 1000)).toBeUndefined();
    expect(decodeRuns(encodeRuns([{ lcn: 1, length: 20 }]).subarray(0, 2), 100, 1000)).toBeUndefined();
    expect(decodeRuns(encodeRuns([{ lcn: HOLE, length: 2000 }]), 100, 1000)).toBeUndefined();
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => {
        for (const r of decodeRuns(bytes, 1000, 5000) ?? []) expect(r.lcn + r.length).toBeLessThanOrEqual(1000 + 5000);
      }),
    );
  });
});

describe('bitmaps', () => {
  it('agree with a plain list of booleans', () => {
    const op = fc.tuple(fc.nat(199), fc.nat(199), fc.boolean());
    fc.assert(
      fc.property(fc.array(op, { maxLength: 20 }), fc.nat(100), (ops, from) => {
        const bitmap = new Uint8Array(25);
        const model = new Array<boolean>(200).fill(false);
        for (const [a, b, on] of ops) {
          const [start, end] = [Math.min(a, b), Math.max(a, b)];
          setBits(bitmap, start, end, on);
          model.fill(on, start, end);
        }
        expect(model.every((on, i) => isSet(bitmap, i) === on)).toBe(true);
        expect(countSet(bitmap, 197)).toBe(model.slice(0, 197).filter(Boolean).length);
        for (const on of [true, false]) {
          const listed = runsOf(bitmap, from, 190, on).flatMap((r) =>
            Array.from({ length: r.length }, (_, i) => r.start + i),
          );
          expect(listed).toEqual(
            model
              .map((m, i) => [m, i] as const)
              .filter(([m, i]) => m === on && i >= from && i < 190)
              .map(([, i]) => i),
          );
        }
      }),
    );
  });
});

describe('compressed units', () => {
  it('decode literals and references, also ones that reach into themselves', () => {
    // Three literals, then a reference back by three of length nine; distance takes four bits at position three.
    const chunk = Uint8Array.of(
      0b0000_1000,
      0x61,
      0x62,
      0x63,
      ((9 - 3) | ((3 - 1) << 12)) & 0xff,
      ((9 - 3) | ((3 - 1) << 12)) >> 8,
    );
    const header = 0xb000 | (chunk.length - 1);
    const unit = Uint8Array.of(header & 0xff, header >> 8, ...chunk, 0, 0);
    expect(new TextDecoder().decode(decompressUnit(unit, 16)!.subarray(0, 12))).toBe('abcabcabcabc');
  });

  it('that are stored come out as they are, and damaged ones are told', () => {
    const stored = new Uint8Array(2 + 4096).fill(7);
    stored.set([0xff, 0x3f]);
    expect(
      decompressUnit(stored, 8192)!
        .subarray(0, 4096)
        .every((b) => b === 7),
    ).toBe(true);
    expect(decompressUnit(Uint8Array.of(0xff, 0xbf, 1), 4096)).toBeUndefined();
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
        expect(decompressUnit(bytes, 4096)?.length ?? 4096).toBe(4096);
      }),
    );
  });
});

describe('small things', () => {
  it('keeps all digits of a time', () => {
    fc.assert(
      fc.property(fc.bigInt({ min: 1n, max: 2n ** 60n }), (ticks) => {
        expect(isoToFiletime(filetimeToIso(ticks))).toBe(ticks);
      }),
    );
    expect(filetimeToIso(0n)).toBeUndefined();
  });

  it('has a case table in which capitals stay and odd letters are not merged', () => {
    const table = buildUpcase();
    const up = (c: string): string => String.fromCharCode(table[c.charCodeAt(0)]!);
    expect(['a', 'ä', 'я', 'Z', 'ß', 'ı', 'ſ', 'µ'].map(up)).toEqual(['A', 'Ä', 'Я', 'Z', 'ß', 'ı', 'ſ', 'µ']);
  });

  it('tells a torn record', () => {
    const record = new Uint8Array(1024);
    record.set([0x46, 0x49, 0x4c, 0x45, 48, 0, 3, 0]);
    record.set([1, 0, 5, 6, 7, 8], 48);
    record.set([1, 0], 510);
    record.set([2, 0], 1022);
    expect(undoFixup(record)).toBe('torn');
  });
});

describe('a volume that is full of pieces', () => {
  it('with ten thousand names in a folder and a table in pieces is shrunk and grown', async () => {
    const size = 160 * MIB;
    const device = await makeVolume({ kind: 'ntfs', size });
    await write('ntfs', device, async (writer) => {
      await writer.mkdir('Many');
      for (let i = 0; i < 10_000; i++) {
        await writer.writeFile(`Many/name ${(i * 7919) % 10_000} of many.txt`, {
          kind: 'bytes',
          bytes: Uint8Array.of(i & 255, i >> 8),
        });
        if (i % 1000 === 0)
          await writer.writeFile(
            `piece ${i}.bin`,
            { kind: 'procedural', seed: i, size: 1_200_000 },
            { placement: { near: 0.1 + i / 12_000, fragments: 60 } },
          );
      }
    });
    const before = await manifestOf('ntfs', device);
    expect(before).toHaveLength(10_011);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    const { floor } = await (await openVolume('ntfs', device)).limits();
    await change('ntfs', device, (volume, tx) => volume.shrink(floor.bytes, tx));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    expect(await manifestOf('ntfs', device)).toEqual(before);
    await change('ntfs', device, (volume, tx) => volume.grow(size, tx));
    expect(await manifestOf('ntfs', device)).toEqual(before);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });

  it('grows past the end of its bitmap, and is written to afterwards', async () => {
    const source = await makeVolume({ kind: 'ntfs', size: 20 * MIB, clusterSize: 512 });
    await fillRandomly('ntfs', source, 5, 0.5);
    const before = await manifestOf('ntfs', source, true);
    const device = new SparseDevice(300 * MIB);
    await device.write(0, await source.bytes(0, 20 * MIB));
    await change('ntfs', device, (volume, tx) => volume.grow(300 * MIB, tx));
    const volume = await openVolume('ntfs', device);
    expect(volume.info.size).toBe(300 * MIB);
    expect(await volume.check()).toEqual([]);
    await write('ntfs', device, (writer) =>
      writer.writeFile('later.bin', { kind: 'procedural', seed: 1, size: 200 * MIB }),
    );
    expect((await manifestOf('ntfs', device, true)).slice(0, before.length)).toEqual(before);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });
});

describe('a volume that was not put away properly', () => {
  async function volumeWith(act: (device: MemoryDevice) => Promise<void>): Promise<MemoryDevice> {
    const source = await makeVolume({ kind: 'ntfs', size: 16 * MIB });
    const device = new MemoryDevice(await source.bytes(0, 16 * MIB));
    await act(device);
    return device;
  }

  it.each<[string, string, (device: MemoryDevice) => Promise<void>]>([
    ['is dirty', 'ntfs.dirty', async (device) => void (device.buffer[markOf(device)] = 1)],
    [
      'is hibernated',
      'ntfs.hibernated',
      (device) =>
        write('ntfs', device, (w) =>
          w.writeFile('hiberfil.sys', { kind: 'bytes', bytes: new TextEncoder().encode('HIBR'.padEnd(5000, 'x')) }),
        ),
    ],
    [
      'has an unfinished journal',
      'ntfs.journal',
      async (device) => void device.buffer.set(new TextEncoder().encode('CHKD'), journalOf(device)),
    ],
  ])('%s, and keeps its size until it is overridden', async (_name, code, act) => {
    const device = await volumeWith(act);
    const volume = await openVolume('ntfs', device);
    const errors = (await volume.check()).filter((f) => f.severity === 'error');
    expect(errors.map((f) => f.code)).toEqual([code]);
    await expect(change('ntfs', device, (v, tx) => v.shrink(12 * MIB, tx))).rejects.toMatchObject({
      code: 'fs.unsound',
    });
    await change('ntfs', device, (v, tx) => v.shrink(12 * MIB, tx, { override: true }));
    expect((await openVolume('ntfs', device)).info.size).toBe(12 * MIB);
  });

  it('that hibernated and was woken again is not held up', async () => {
    const device = await volumeWith((d) =>
      write('ntfs', d, (w) => w.writeFile('hiberfil.sys', { kind: 'bytes', bytes: new Uint8Array(5000) })),
    );
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });

  /** Where the flags of the volume information stand: behind version 3.1 in record 3. */
  function markOf(device: MemoryDevice): number {
    const at = tableOf(device) + 3 * 1024;
    const index = device.buffer
      .subarray(at, at + 1024)
      .findIndex((b, i, all) => b === 3 && all[i + 1] === 1 && all[i + 2] === 0 && i > 200);
    return at + index + 2;
  }

  const tableOf = (device: MemoryDevice): number => new DataView(device.buffer.buffer).getUint32(48, true) * 4096;

  /** The journal of a fresh volume is the first long run of ones. */
  function journalOf(device: MemoryDevice): number {
    for (let at = 4096; ; at += 4096) if (device.buffer.subarray(at, at + 4096).every((b) => b === 0xff)) return at;
  }
});
