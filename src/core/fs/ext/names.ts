/**
 * All names of a volume in columns: what each leads to, in which folder it stands, and its bytes in the folder's content.
 *
 * A volume may have millions of them, and most of what is done goes over all: an object for each took 1.4 times as long
 * to read 200 000. The text of a folder is made once, and names that are plain are cut from it.
 */
import { nameText } from './folder-names';

/** A name as an object, for what is not done to all of them. */
export interface Name {
  readonly inode: number;
  /** The number of the name of the folder that it is in; -1 for the root. */
  readonly parent: number;
  readonly bytes: Uint8Array;
  /** What it says it leads to. */
  readonly type: number;
}

const PLAIN = new TextDecoder('latin1');

export class Names {
  length = 0;
  #inodes = new Uint32Array(1024);
  #parents = new Int32Array(1024);
  #places = new Uint32Array(1024);
  /** The length of a name, and above it what it leads to. */
  #shapes = new Uint16Array(1024);
  #contents = new Uint32Array(1024);
  readonly #bytes: Uint8Array[] = [];
  readonly #texts: (string | undefined)[] = [];

  /** Says that what is added from now on stands in this content. */
  begin(content: Uint8Array): void {
    this.#bytes.push(content);
    this.#texts.push(undefined);
  }

  /** @returns its number */
  add(inode: number, parent: number, at: number, length: number, type: number): number {
    const n = this.length++;
    if (n === this.#inodes.length) this.#grow();
    this.#inodes[n] = inode;
    this.#parents[n] = parent;
    this.#places[n] = at;
    this.#shapes[n] = length | (type << 8);
    this.#contents[n] = this.#bytes.length - 1;
    return n;
  }

  #grow(): void {
    const longer = <T extends Uint32Array | Int32Array | Uint16Array>(old: T): T => {
      const next = new (old.constructor as new (length: number) => T)(old.length * 2);
      next.set(old);
      return next;
    };
    this.#inodes = longer(this.#inodes);
    this.#parents = longer(this.#parents);
    this.#places = longer(this.#places);
    this.#shapes = longer(this.#shapes);
    this.#contents = longer(this.#contents);
  }

  inode(n: number): number {
    return this.#inodes[n]!;
  }

  parent(n: number): number {
    return this.#parents[n]!;
  }

  type(n: number): number {
    return this.#shapes[n]! >> 8;
  }

  bytes(n: number): Uint8Array {
    const at = this.#places[n]!;
    return this.#bytes[this.#contents[n]!]!.subarray(at, at + (this.#shapes[n]! & 0xff));
  }

  text(n: number): string {
    const content = this.#contents[n]!;
    const bytes = this.#bytes[content]!;
    const at = this.#places[n]!;
    const end = at + (this.#shapes[n]! & 0xff);
    for (let i = at; i < end; i++) if (bytes[i]! >= 0x80) return nameText(bytes.subarray(at, end));
    const text = (this.#texts[content] ??= PLAIN.decode(bytes));
    return text.slice(at, end);
  }

  /** The inode of the folder that a name stands in. */
  above(n: number, root: number): number {
    const parent = this.#parents[n]!;
    return parent < 0 ? root : this.#inodes[parent]!;
  }

  *[Symbol.iterator](): Generator<Name> {
    for (let n = 0; n < this.length; n++)
      yield { inode: this.#inodes[n]!, parent: this.#parents[n]!, bytes: this.bytes(n), type: this.type(n) };
  }
}
