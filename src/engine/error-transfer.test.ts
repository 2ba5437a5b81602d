import { CoreError, isCoreError } from '@/core/errors';
import { expose, wrap } from 'comlink';
import { afterAll, describe, expect, it } from 'vitest';
import { installErrorTransfer } from './error-transfer';

installErrorTransfer();
const { port1, port2 } = new MessageChannel();
expose(
  {
    core: () => {
      throw new CoreError('fs.below-floor', { wanted: 1, floor: 2, reason: 'it is in use' });
    },
    plain: () => {
      throw new RangeError('our own mistake');
    },
    other: () => {
      throw 'just words';
    },
  },
  port1 as never,
);
const remote = wrap<{ core(): void; plain(): void; other(): void }>(port2 as never);
afterAll(() => {
  port1.close();
  port2.close();
});

describe('errors across the seam', () => {
  it('keep class, code and facts', async () => {
    const error: unknown = await remote.core().catch((e: unknown) => e);
    expect(isCoreError(error, 'fs.below-floor') && error.facts).toEqual({
      wanted: 1,
      floor: 2,
      reason: 'it is in use',
    });
    expect((error as Error).message).toContain('it is in use');
  });

  it('that are not ours keep name and words', async () => {
    await expect(remote.plain()).rejects.toMatchObject({ name: 'RangeError', message: 'our own mistake' });
    await expect(remote.other()).rejects.toThrow('just words');
  });
});
