/** The machine's own SHA-256 in place of the portable one. */
import { toHex } from '@/core/bytes';
import type { HasherFactory } from '@/core/proof';
import { createHash, webcrypto } from 'node:crypto';

/** Below this, handing bytes to another thread takes longer than hashing them. */
const HERE_BYTES = 32 * 1024;

export const nodeHasher: HasherFactory = Object.assign(
  () => {
    const hash = createHash('sha256');
    return { update: (bytes: Uint8Array) => void hash.update(bytes), digest: () => hash.digest('hex') };
  },
  {
    whole: (bytes: Uint8Array<ArrayBuffer>): Promise<string> | string =>
      bytes.length < HERE_BYTES
        ? createHash('sha256').update(bytes).digest('hex')
        : webcrypto.subtle.digest('SHA-256', bytes).then((digest) => toHex(new Uint8Array(digest))),
  },
);
