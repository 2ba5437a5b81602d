import { portableHasher } from '@/core/proof';
import fc from 'fast-check';
import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { webHasher } from './web-hasher';

describe('the browser’s hasher', () => {
  it.each([0, 1, 32 * 1024, 32 * 1024 + 1, 5_000_000, 32 * 1024 * 1024, 32 * 1024 * 1024 + 1, 70_000_000])(
    'hashes %i bytes as the machine does',
    async (size) => {
      const bytes = new Uint8Array(size).map((_, i) => i * 31);
      const hash = await webHasher();
      for (let at = 0; at < size; at += 4 << 20) hash.update(bytes.subarray(at, at + (4 << 20)));
      expect(await hash.digest()).toBe(createHash('sha256').update(bytes).digest('hex'));
    },
  );

  it('needs what it is given whole for the call only', async () => {
    const bytes = new Uint8Array(5_000_000).map((_, i) => i * 31);
    const own = createHash('sha256').update(bytes).digest('hex');
    const whole = webHasher.whole!(bytes);
    bytes.fill(1);
    expect(await whole).toBe(own);
  });

  it('and the portable one make any number of digests at a time', async () => {
    const lengths = fc.array(fc.nat(40_000), { minLength: 1, maxLength: 4 });
    await fc.assert(
      fc.asyncProperty(fc.array(lengths, { minLength: 2, maxLength: 5 }), async (files) => {
        const parts = files.map((sizes, i) => sizes.map((size, k) => new Uint8Array(size).fill(7 * i + k + 1)));
        const hashers = await Promise.all(files.map((_, i) => (i % 2 === 0 ? portableHasher() : webHasher())));
        for (let k = 0; k < 4; k++) hashers.forEach((hasher, i) => parts[i]![k] && hasher.update(parts[i]![k]!));
        const digests = await Promise.all(hashers.map((hasher) => hasher.digest()));
        expect(digests).toEqual(parts.map((all) => createHash('sha256').update(Buffer.concat(all)).digest('hex')));
      }),
      { numRuns: 40 },
    );
  });
});
