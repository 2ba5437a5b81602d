import { afterEach, describe, expect, it, vi } from 'vitest';
import { dropSpilled, makeSpillFile } from './spill-files';

/** A folder as the browser gives it: one that is open can't be removed, and there is only so much room. */
function storage(room = Infinity) {
  const files = new Map<string, { bytes: Uint8Array; open: boolean }>();
  const folder = {
    getDirectoryHandle: async () => folder,
    getFileHandle: async (name: string) => {
      const file = { bytes: new Uint8Array(0), open: false };
      files.set(name, file);
      const access = {
        write: (from: Uint8Array, { at }: { at: number }): number => {
          if (at + from.length > room) throw new DOMException('full', 'QuotaExceededError');
          const bytes = new Uint8Array(Math.max(file.bytes.length, at + from.length));
          bytes.set(file.bytes);
          bytes.set(from, at);
          file.bytes = bytes;
          return from.length;
        },
        read: (into: Uint8Array, { at }: { at: number }): number => {
          const part = file.bytes.subarray(at, at + into.length);
          into.set(part);
          return part.length;
        },
        close: () => void (file.open = false),
      };
      return { createSyncAccessHandle: async () => ((file.open = true), access) };
    },
    removeEntry: async (name: string) => {
      if (files.get(name)?.open) throw new DOMException('it is open', 'NoModificationAllowedError');
      files.delete(name);
    },
    keys: async function* () {
      yield* [...files.keys()];
    },
  };
  vi.stubGlobal('navigator', { storage: { getDirectory: async () => folder } });
  return files;
}
afterEach(() => vi.unstubAllGlobals());

describe('room beside memory', () => {
  it('gives what was put there, and is gone when it is closed', async () => {
    const files = storage();
    const spill = (await makeSpillFile())!;
    await spill.write(0, Uint8Array.of(1, 2, 3, 4));
    await spill.write(4, Uint8Array.of(5, 6));
    const into = new Uint8Array(3);
    await spill.read(3, into);
    expect([...into]).toEqual([4, 5, 6]);
    await expect(spill.read(5, into)).rejects.toThrow('1 of 3 bytes');
    expect(files.size).toBe(1);
    await spill.close();
    expect(files.size).toBe(0);
  });

  it('that a tab has left is given back, and what one has open is not', async () => {
    const files = storage();
    const [open, left] = [(await makeSpillFile())!, (await makeSpillFile())!];
    await left.write(0, Uint8Array.of(1));
    [...files.values()][1]!.open = false;
    await dropSpilled();
    expect(files.size).toBe(1);
    await open.write(0, Uint8Array.of(7));
    await open.close();
    expect(files.size).toBe(0);
  });

  it('is not to be had everywhere', async () => {
    vi.stubGlobal('navigator', {});
    expect(await makeSpillFile()).toBeUndefined();
    await dropSpilled();
    vi.stubGlobal('navigator', { storage: { getDirectory: () => Promise.reject(new Error('not here')) } });
    expect(await makeSpillFile()).toBeUndefined();
    await dropSpilled();
  });

  it('tells when it is full', async () => {
    storage(10);
    const spill = (await makeSpillFile())!;
    await spill.write(0, new Uint8Array(10));
    await expect(spill.write(10, new Uint8Array(1))).rejects.toThrow('full');
  });
});
