/** Digests being made, and the one that is the same everywhere. */
import type { IHasher } from 'hash-wasm';

/** A digest being made. */
export interface Hasher {
  /** The bytes are borrowed for the call. */
  update(bytes: Uint8Array): void;
  /** Hexadecimal; the hasher is spent. */
  digest(): string | Promise<string>;
}

/** Makes a fresh SHA-256. The runner puts the machine's own in place of the portable one. */
export interface HasherFactory {
  (): Promise<Hasher> | Hasher;
  /**
   * The digest of bytes that are all there, hexadecimal, made beside what else goes on: on another core, where that can
   * be. The bytes are borrowed for the call, and not until its promise settles.
   */
  readonly whole?: (bytes: Uint8Array<ArrayBuffer>) => Promise<string> | string;
}

let loading: Promise<IHasher> | undefined;

/** SHA-256 in WebAssembly, loaded when first asked for. */
export const portableHasher: HasherFactory = async () => {
  loading ??= import('hash-wasm').then(({ createSHA256 }) => createSHA256());
  return new PortableHasher(await loading);
};

/** All share one engine, which is costly to make: whoever's turn it is puts aside what the last one had in it. */
class PortableHasher implements Hasher {
  static #inEngine: PortableHasher | undefined;
  #aside: Uint8Array | undefined;

  constructor(private readonly engine: IHasher) {}

  update(bytes: Uint8Array): void {
    this.#take();
    this.engine.update(bytes);
  }

  digest(): string {
    this.#take();
    PortableHasher.#inEngine = undefined;
    return this.engine.digest('hex');
  }

  #take(): void {
    const before = PortableHasher.#inEngine;
    if (before === this) return;
    if (before) before.#aside = this.engine.save();
    if (this.#aside) this.engine.load(this.#aside);
    else this.engine.init();
    PortableHasher.#inEngine = this;
  }
}
