import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { webHasher } from './web-hasher';

describe('the browser’s hasher', () => {
  it.each([0, 1, 5_000_000, 32 * 1024 * 1024, 32 * 1024 * 1024 + 1, 70_000_000])(
    'hashes %i bytes as the machine does',
    async (size) => {
      const bytes = new Uint8Array(size).map((_, i) => i * 31);
      const hash = await webHasher();
      for (let at = 0; at < size; at += 4 << 20) hash.update(bytes.subarray(at, at + (4 << 20)));
      expect(await hash.digest()).toBe(createHash('sha256').update(bytes).digest('hex'));
    },
  );
});
