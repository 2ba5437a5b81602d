import { describe, expect, it } from 'vitest';
import { bytesRows, pictureType, textOf } from './preview-kind';

describe('the beginning of a file', () => {
  it('is text where it is text, also cut in the middle of a letter', () => {
    const bytes = new TextEncoder().encode('Grüße aus dem Gewächshaus');
    expect(textOf(bytes)).toBe('Grüße aus dem Gewächshaus');
    expect(textOf(bytes.subarray(0, 3))).toBe('Gr');
    expect(textOf(new Uint8Array())).toBe('');
  });

  it('is rows of hexadecimal where it is not', () => {
    const bytes = Uint8Array.of(0xff, 0xfe, 0, 0x41);
    expect(textOf(bytes)).toBeUndefined();
    expect(textOf(Uint8Array.of(0x41, 7))).toBeUndefined();
    expect(bytesRows(bytes).split('\n')).toEqual([`00000000  ${'ff fe 00 41'.padEnd(48)} ...A`]);
    expect(bytesRows(new Uint8Array(100_000)).split('\n')).toHaveLength(512);
  });

  it('is a picture where it begins as one', () => {
    expect(pictureType(Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0))).toBe('image/png');
    expect(pictureType(new TextEncoder().encode('RIFF....WEBPVP8 '))).toBe('image/webp');
    expect(pictureType(Uint8Array.of(0x89, 0x50))).toBeUndefined();
    expect(pictureType(new TextEncoder().encode('A fern, drawn'))).toBeUndefined();
  });
});
