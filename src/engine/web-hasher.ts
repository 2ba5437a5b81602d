/**
 * The browser's own SHA-256 for files that fit in memory, which is native and about twice as fast as WebAssembly. It takes
 * a file only whole, so longer ones go on with the portable one; and each call of it takes as long as the portable one
 * takes for some tens of kilobytes, so short ones, and there are thousands of them, stay with that as well.
 */
import { toHex } from '@/core/bytes';
import { portableHasher, type Hasher, type HasherFactory } from '@/core/proof';

const SHORT = 32 * 1024;
const WHOLE_LIMIT = 32 * 1024 * 1024;

export const webHasher: HasherFactory = async () => {
  const portable = await portableHasher();
  return new WebHasher(portable);
};

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
    this.#handOver();
    this.portable.update(bytes);
  }

  #handOver(): void {
    for (const part of this.#parts) this.portable.update(part);
    this.#parts = [];
  }

  async digest(): Promise<string> {
    if (this.#size <= SHORT) this.#handOver();
    if (this.#size <= SHORT || this.#size > WHOLE_LIMIT) return this.portable.digest();
    const whole = new Uint8Array(this.#size);
    let at = 0;
    for (const part of this.#parts) {
      whole.set(part, at);
      at += part.length;
    }
    return toHex(new Uint8Array(await crypto.subtle.digest('SHA-256', whole)));
  }
}
