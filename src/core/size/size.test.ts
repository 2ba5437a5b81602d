import { isCoreError } from '@/core/errors';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  isExact,
  formatMib,
  formatSize,
  GIB,
  MIB,
  parseSize,
  readSize,
  resolveSize,
  roundTo,
  sizeFaces,
  typedSize,
  type SizeSyntax,
} from '.';

const whole = 100 * GIB;
const bytes = (text: string, syntax?: SizeSyntax): number =>
  readSize(text, { whole, rest: 40 * GIB, current: 10 * GIB, floor: 3 * GIB }, syntax).bytes;

describe('the size grammar', () => {
  it.each([
    ['60 GB', 60e9],
    ['61 440 MiB', 60 * GIB],
    ['61\u202f440\u00a0MiB', 60 * GIB],
    ['60g', 60 * GIB],
    ['60 gigs', 60 * GIB],
    ['1.5 TiB', 1536 * GIB],
    ['50 %', 50 * GIB],
    ['12.5%', 12.5 * GIB],
    ['half', 50 * GIB],
    ['rest', 40 * GIB],
    ['all', whole],
    ['floor', 3 * GIB],
    ['1/4', 25 * GIB],
    ['+10 GiB', 20 * GIB],
    ['-1 GiB', 9 * GIB],
    ['+50 %', 60 * GIB],
    ['512 B', 512],
    ['7', 7 * GIB],
    ['1,024 MiB', GIB],
    ['.5 GiB', GIB / 2],
  ])('reads %s', (text, expected) => expect(bytes(text)).toBe(expected));

  it('takes the comma as the decimal mark where the locale does', () => {
    expect(bytes('1,5 GiB', { decimal: ',' })).toBe(1.5 * GIB);
    expect(bytes('1.024,5 MiB', { decimal: ',' })).toBe(1024.5 * MIB);
    expect(bytes('1.5 GiB', { decimal: ',' })).toBe(1.5 * GIB);
    expect(bytes('2.048 MiB', { decimal: ',' })).toBe(2048 * MIB);
  });

  it.each(['', 'plenty', '1..2 GB', '1/0', '12 34 x', '--5 GB', '1,2,3 GB'])('refuses %j', (text) => {
    expect(() => bytes(text)).toThrowError(expect.objectContaining({ name: 'CoreError' }));
  });

  it('names an unknown unit and a change to less than nothing', () => {
    expect(() => parseSize('5 GXB')).toThrowError(expect.objectContaining({ code: 'size.unit' }));
    expect(() => bytes('-11 GiB')).toThrowError(expect.objectContaining({ code: 'size.negative' }));
  });

  it('keeps exact bytes and says when a fraction was dropped', () => {
    expect(resolveSize(parseSize('70 000 MB'), { whole })).toEqual({ bytes: 70e9, exact: true });
    expect(resolveSize(parseSize('0.3 KiB'), { whole })).toEqual({ bytes: 307, exact: false });
    expect(resolveSize(parseSize('1/3'), { whole: 100 })).toEqual({ bytes: 33, exact: false });
  });

  it('tells what is meant to the byte, whatever stands round it', () => {
    const meant = ['4096 B', ' 4096 bytes ', '1 byte', '12o', '+512 B', 'rest', 'floor'];
    const about = ['4096', '4 KB', '4 kib', '60g', '1.5 TB', '50 %', '1/3', 'half', 'all', '+1 MB'];
    expect(meant.filter((text) => !isExact(parseSize(text)))).toEqual([]);
    expect(about.filter((text) => isExact(parseSize(text)))).toEqual([]);
  });

  it('reads back exactly what it prints as typed', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 50 }), (n) => {
        expect(bytes(typedSize(n))).toBe(n);
      }),
    );
  });

  it('never fails with anything but its own errors', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 30 }), (text) => {
        try {
          bytes(text);
        } catch (error) {
          expect(isCoreError(error)).toBe(true);
        }
      }),
      { numRuns: 2000 },
    );
  });
});

describe('sizes in words', () => {
  it('shows both unit systems', () => {
    expect(sizeFaces(512e9)).toEqual({ bytes: 512e9, binary: '476.8 GiB', decimal: '512 GB' });
    expect(formatSize(70_000 * 1e6)).toBe('65.2 GiB');
    expect(formatSize(1023.99 * MIB)).toBe('1 GiB');
  });

  it('spaces thousands', () => expect(formatMib(282_522 * MIB)).toBe('282\u202f522 MiB'));

  it('tells a rounding', () => expect(roundTo(1000, 512)).toEqual({ bytes: 1024, by: 24 }));
});
