/** The machine's own SHA-256 in place of the portable one. */
import type { HasherFactory } from '@/core/proof';
import { createHash } from 'node:crypto';

export const nodeHasher: HasherFactory = () => {
  const hash = createHash('sha256');
  return { update: (bytes) => void hash.update(bytes), digest: () => hash.digest('hex') };
};
