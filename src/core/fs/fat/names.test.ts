import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ATTRIBUTE, attributeByte, attributeWords, buildSlots, parseDirectory } from './directory';
import {
  assertName,
  decodeShortName,
  normaliseLabel,
  packLabel,
  shortNameChecksum,
  ShortNames,
  unpackLabel,
} from './names';
import { dateToIso, isoToStamp, stampToIso } from '../dos-time';

const raw = (text: string): Uint8Array => Uint8Array.from(text.padEnd(11), (c) => c.charCodeAt(0));
const shown = (bytes: Uint8Array): string => decodeShortName(bytes, 0);

describe('short names', () => {
  it('are shown with dot, case flags and code page', () => {
    expect(shown(raw('README  TXT'))).toBe('README.TXT');
    expect(shown(raw('NOEXT'))).toBe('NOEXT');
    expect(decodeShortName(raw('README  TXT'), 0x18)).toBe('readme.txt');
    expect(decodeShortName(raw('README  TXT'), 0x08)).toBe('readme.TXT');
    expect(shown(Uint8Array.of(0x05, 0x84, ...raw('').subarray(2)))).toBe('σä');
  });

  it('are taken over to the letter where a name is one', () => {
    const names = new ShortNames();
    expect(names.next('README.TXT')).toEqual({ raw: raw('README  TXT'), needsLong: false });
    expect(names.next('植1.TXT').needsLong).toBe(true);
    expect(new ShortNames().next('ÄÖ.TXT').needsLong).toBe(false);
  });

  it('get a numeric tail that is unique in the folder', () => {
    const names = new ShortNames();
    const list = [
      'readme.txt',
      'read me.txt',
      'README.TXT.bak',
      '植物園.jpg',
      '温室.jpg',
      '.profile',
      'a.b.c.d',
      'long name one.text',
      'long name two.text',
    ];
    const made = list.map((name) => names.next(name));
    expect(made.map((m) => shown(m.raw))).toEqual([
      'README~1.TXT',
      'README~2.TXT',
      'README~1.BAK',
      '___~1.JPG',
      '__~1.JPG',
      'PROFIL~1',
      'ABC~1.D',
      'LONGNA~1.TEX',
      'LONGNA~2.TEX',
    ]);
    expect(made.every((m) => m.needsLong)).toBe(true);
  });

  it('stay unique over thousands of names alike', () => {
    const names = new ShortNames();
    const seen = new Set(Array.from({ length: 3000 }, (_, i) => shown(names.next(`picture number ${i}.jpeg`).raw)));
    expect(seen.size).toBe(3000);
  });

  it('are known by the published checksum', () => {
    expect(shortNameChecksum(raw('ABCDEFGHIJK'))).toBe(
      [...'ABCDEFGHIJK'].reduce((sum, c) => (((sum & 1) << 7) + (sum >> 1) + c.charCodeAt(0)) & 0xff, 0),
    );
  });
});

describe('long names', () => {
  const names = fc
    .string({ unit: 'grapheme', minLength: 1, maxLength: 60 })
    .filter((n) => n.length <= 255 && !n.includes('\0') && n !== '.' && n !== '..');

  it('come back from their slots whatever they hold', () => {
    fc.assert(
      fc.property(names, (name) => {
        const short = new ShortNames().next(`x${name}`).raw;
        const slots = buildSlots({ name: short, attributes: 0 }, name);
        const bytes = new Uint8Array(slots.length + 64);
        bytes.set(slots, 32);
        bytes[0] = 0xe5;
        const { entries, end, orphans } = parseDirectory(bytes);
        expect(entries.map((e) => e.name)).toEqual([name]);
        expect([end, orphans, entries[0]!.slots]).toEqual([32 + slots.length, 0, slots.length / 32]);
      }),
    );
  });

  it('that are torn or belong to another name are left out and counted', () => {
    const short = raw('LONGNA~1TXT');
    const slots = buildSlots({ name: short, attributes: 0 }, 'a name of more than thirteen letters.txt');
    const other = slots.slice();
    other[slots.length - 32] = 0x58;
    expect(parseDirectory(other).entries[0]!.name).toBe('XONGNA~1.TXT');
    expect(parseDirectory(other).orphans).toBe(4);
    const torn = slots.slice();
    torn[32] = 0x17;
    expect(parseDirectory(torn).entries[0]!.name).toBe('LONGNA~1.TXT');
  });

  it.each(['', '.', '..', 'a/b', 'a:b', 'tab\there', 'ends.', 'ends ', 'x'.repeat(256), 'CON', 'lpt1.txt'])(
    'refuse %j',
    (name) => {
      expect(() => assertName(name)).toThrowError(expect.objectContaining({ code: 'fs.name' }));
    },
  );

  it.each(['a', 'CONSOLE', '.hidden', 'ein Name mit Leerzeichen', '植物.txt', 'x'.repeat(255)])('take %j', (name) => {
    expect(() => assertName(name)).not.toThrow();
  });
});

describe('directories', () => {
  it('never throw on anything', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 2000 }), (bytes) => {
        const { entries, end } = parseDirectory(bytes);
        expect(end).toBeLessThanOrEqual(bytes.length);
        expect(entries.length).toBeLessThanOrEqual(bytes.length / 32);
      }),
    );
  });

  it('keep attributes in words', () => {
    expect(attributeWords(ATTRIBUTE.readOnly | ATTRIBUTE.system | ATTRIBUTE.folder)).toEqual(['read-only', 'system']);
    for (const words of [[], ['hidden'], ['read-only', 'hidden', 'system', 'archive']])
      expect(attributeWords(attributeByte(words))).toEqual(words);
    expect(attributeByte(['folder', 'label', 'nonsense'])).toBe(0);
  });
});

describe('labels', () => {
  it('are stored in capitals of the code page', () => {
    expect(normaliseLabel(' grün 1 ')).toBe('GRÜN 1');
    expect(unpackLabel(packLabel('GRÜN 1'))).toBe('GRÜN 1');
    expect(unpackLabel(packLabel('σX'))).toBe('σX');
  });

  it.each(['TWELVE CHARS', 'a*b', 'a.b', '植物', 'NO NAME', 'ta\tb'])('refuse %j', (label) => {
    expect(() => normaliseLabel(label)).toThrowError(expect.objectContaining({ code: 'fs.label' }));
  });
});

describe('times', () => {
  it('come back to two seconds, or to a hundredth beside a creation time', () => {
    const parts = fc.tuple(
      fc.integer({ min: 1980, max: 2107 }),
      fc.integer({ min: 1, max: 12 }),
      fc.integer({ min: 1, max: 28 }),
      fc.nat(23),
      fc.nat(59),
      fc.nat(59),
      fc.nat(99),
    );
    const two = (n: number): string => String(n).padStart(2, '0');
    fc.assert(
      fc.property(parts, ([y, mo, d, h, mi, s, cs]) => {
        const iso = `${y}-${two(mo)}-${two(d)}T${two(h)}:${two(mi)}:${two(s)}.${two(cs)}`;
        const stamp = isoToStamp(iso);
        expect(stampToIso(stamp)).toBe(iso);
        expect(stampToIso({ date: stamp.date, time: stamp.time })).toBe(`${iso.slice(0, 17)}${two(s - (s % 2))}`);
        expect(dateToIso(stamp.date)).toBe(iso.slice(0, 10));
      }),
    );
  });

  it('that are none or too early are told apart', () => {
    expect(stampToIso(isoToStamp(undefined))).toBeUndefined();
    expect(stampToIso(isoToStamp('1975-05-05T10:00:00'))).toBe('1980-01-01T00:00:00.00');
  });
});
