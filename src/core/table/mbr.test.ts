import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { isGptHeader, looksLikeTable, parseMbr, type MbrEntry } from '.';
import { chs, serialiseMbr } from './mbr';

const DISK_SECTORS = 1_000_000;
const entry = fc.record({
  active: fc.boolean(),
  type: fc.integer({ min: 1, max: 255 }),
  startLba: fc.integer({ min: 1, max: 0xffffffff }),
  lengthSectors: fc.integer({ min: 1, max: 0xffffffff }),
});
const entries = fc
  .array(fc.option(entry, { nil: undefined }), { minLength: 4, maxLength: 4 })
  .map((list) => list.flatMap((e, slot): MbrEntry[] => (e ? [{ ...e, slot }] : [])));

describe('a master boot record', () => {
  it('parses back to what was serialised, and keeps boot code and signature', () => {
    fc.assert(
      fc.property(entries, fc.uint8Array({ minLength: 446, maxLength: 446 }), (list, code) => {
        const before = new Uint8Array(512);
        before.set(code);
        const sector = serialiseMbr(before, list);
        expect(parseMbr(sector, DISK_SECTORS).entries).toEqual(list);
        expect(sector.subarray(0, 446)).toEqual(before.subarray(0, 446));
        expect(looksLikeTable(sector)).toBe(list.length > 0);
      }),
    );
  });

  it('keeps the bytes of entries that do not change, odd CHS fields included', () => {
    fc.assert(
      fc.property(entries, fc.uint8Array({ minLength: 24, maxLength: 24 }), (list, odd) => {
        const sector = serialiseMbr(new Uint8Array(4096), list);
        for (const { slot } of list) sector.set(odd.subarray(slot * 6, slot * 6 + 3), 446 + slot * 16 + 1);
        expect(serialiseMbr(sector, parseMbr(sector, DISK_SECTORS).entries)).toEqual(sector);
      }),
    );
  });

  it('reports entries past the end and overlapping ones, without throwing', () => {
    const make = (slot: number, startLba: number, lengthSectors: number): MbrEntry => ({
      slot,
      active: false,
      type: 7,
      startLba,
      lengthSectors,
    });
    const sector = serialiseMbr(new Uint8Array(512), [
      make(0, 2048, 5000),
      make(1, 6000, 1000),
      make(3, 900_000, 200_000),
    ]);
    expect(parseMbr(sector, DISK_SECTORS).findings.map((f) => f.code)).toEqual(['table.past-end', 'table.overlap']);
  });

  it('never throws anything untyped on random sectors', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 512, maxLength: 512 }), (sector) => {
        sector.set([0x55, 0xaa], 510);
        expect(parseMbr(sector, DISK_SECTORS).entries.length).toBeLessThanOrEqual(4);
      }),
    );
    expect(() => parseMbr(new Uint8Array(512), DISK_SECTORS)).toThrowError(
      expect.objectContaining({ code: 'table.damaged' }),
    );
  });

  it('writes CHS addresses of 255 heads and 63 sectors, and the largest one beyond cylinder 1023', () => {
    expect([...chs(0)]).toEqual([0, 1, 0]);
    expect([...chs(2048)]).toEqual([32, 33, 0]);
    expect([...chs(1023 * 255 * 63 + 254 * 63 + 62)]).toEqual([254, 0xff, 0xff]);
    expect([...chs(0xffffffff)]).toEqual([0xfe, 0xff, 0xff]);
  });

  it('refuses what 32-bit sector numbers cannot say', () => {
    const far: MbrEntry = { slot: 0, active: false, type: 7, startLba: 2 ** 33, lengthSectors: 1 };
    expect(() => serialiseMbr(new Uint8Array(512), [far])).toThrowError(
      expect.objectContaining({ code: 'table.too-far' }),
    );
  });

  it('knows a GPT header by its signature', () => {
    expect(isGptHeader(new TextEncoder().encode('EFI PART'))).toBe(true);
    expect(isGptHeader(new Uint8Array(8))).toBe(false);
  });
});
