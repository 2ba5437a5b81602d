/** The entries of a volume by their paths in capitals, so that finding one, and all below it, walks over no others. */
import type { Owner } from './owner';

export class PathIndex {
  readonly #keys: string[];
  readonly #owners: Owner[];

  constructor(owners: readonly Owner[], fold: (path: string) => string) {
    const listed = owners.flatMap((owner) => (owner.at?.setBytes ? [{ key: fold(owner.path), owner }] : []));
    listed.sort((a, b) => (a.key < b.key ? -1 : a.key > b.key ? 1 : 0));
    this.#keys = listed.map((l) => l.key);
    this.#owners = listed.map((l) => l.owner);
  }

  /** The file or folder of a path in capitals. */
  entry(key: string): Owner | undefined {
    for (let i = this.#first(key); this.#keys[i] === key; i++)
      if (this.#owners[i]!.kind === 'file' || this.#owners[i]!.kind === 'folder') return this.#owners[i];
    return undefined;
  }

  /** All whose paths begin with a text in capitals. */
  *beginning(text: string): Generator<Owner> {
    for (let i = this.#first(text); this.#keys[i]?.startsWith(text); i++) yield this.#owners[i]!;
  }

  /** Where the first key stands that is not before one. */
  #first(key: string): number {
    let [low, high] = [0, this.#keys.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.#keys[middle]! < key) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}
