import { describe, expect, it } from 'vitest';
import { previewWords } from './preview';

describe('the beginning of a file', () => {
  it('is text where it is text, also cut in the middle of a letter', () => {
    const bytes = new TextEncoder().encode('Grüße aus dem Gewächshaus');
    expect(previewWords(bytes)).toBe('Grüße aus dem Gewächshaus');
    expect(previewWords(bytes.subarray(0, 3))).toBe('Gr');
  });

  it('is rows of hexadecimal where it is not', () => {
    const [first, second] = previewWords(Uint8Array.from({ length: 20 }, (_, i) => i + 0x3c)).split('\n');
    expect(first).toBe('<=>?@ABCDEFGHIJKLMNO');
    expect(second).toBeUndefined();
    expect(previewWords(Uint8Array.of(0xff, 0xfe, 0, 0x41)).split('\n')).toEqual([
      `00000000  ${'ff fe 00 41'.padEnd(48)} ...A`,
    ]);
  });

  it('says when there is none', () => expect(previewWords(new Uint8Array())).toBe('(empty)'));
});
