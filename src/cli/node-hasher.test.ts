import { createHash, randomBytes } from 'node:crypto';
import { expect, it } from 'vitest';
import { nodeHasher } from './node-hasher';

it.each([0, 1, 32 * 1024 - 1, 32 * 1024, 3_000_001])('hashes %i bytes the same in pieces and as a whole', async (n) => {
  const bytes = new Uint8Array(randomBytes(n));
  const own = createHash('sha256').update(bytes).digest('hex');
  const hash = await nodeHasher();
  hash.update(bytes.subarray(0, n / 3));
  hash.update(bytes.subarray(n / 3));
  expect(await hash.digest()).toBe(own);
  // What it was given is used again at once.
  const whole = nodeHasher.whole!(bytes);
  bytes.fill(1);
  expect(await whole).toBe(own);
});
