/**
 * The browser's own SHA-256 for files that fit in memory, which is native and about twice as fast as WebAssembly; it
 * takes a file only whole, so longer ones go on with the portable one.
 */
import { toHex } from '@/core/bytes';
import { portableHasher, type Hasher, type HasherFactory } from '@/core/proof';

const WHOLE_LIMIT = 32 * 1024 * 1024;

const digestOf = async (bytes: Uint8Array<ArrayBuffer>): Promise<string> =>
  toHex(new Uint8Array(await crypto.subtle.digest('SHA-256', bytes)));

export const webHasher: HasherFactory = Object.assign(
  async () => {
    const portable = await portableHasher();
    return new WebHasher(portable);
  },
  { whole: digestOf },
);

class WebHasher implements Hasher {
  #parts: Uint8Array[] = [];
  #size = 0;

  constructor(private readonly portable: Hasher) {}

  update(bytes: Uint8Array): void {
    this.#size += bytes.length;
    if (this.#size <= WHOLE_LIMIT) {
      this.#parts.push(bytes.slice());
      return;
    }
    for (const part of this.#parts) this.portable.update(part);
    this.#parts = [];
    this.portable.update(bytes);
  }

  async digest(): Promise<string> {
    if (this.#size > WHOLE_LIMIT) return this.portable.digest();
    const whole = new Uint8Array(this.#size);
    let at = 0;
    for (const part of this.#parts) {
      whole.set(part, at);
      at += part.length;
    }
    return digestOf(whole);
  }
}
