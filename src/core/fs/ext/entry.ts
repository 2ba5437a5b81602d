/** An entry of an ext volume: what is asked for less often is read from its inode when somebody does. */
import type { EntryKind, FileEntry, FileTimes } from '../entry';
import type { Attribute } from './attributes';
import { besideWords } from './beside';
import { attributesIn, flagsOf, ownerOf, sizeOf, timesOf } from './inode';

export class ExtEntry implements FileEntry {
  readonly #inode: Uint8Array;
  readonly #attributes: readonly Attribute[];

  constructor(
    readonly path: string,
    readonly kind: EntryKind,
    readonly id: number,
    inode: Uint8Array,
    attributes: readonly Attribute[],
  ) {
    this.#inode = inode;
    this.#attributes = attributes;
  }

  get size(): number {
    return this.kind === 'file' || this.kind === 'link' ? sizeOf(this.#inode) : 0;
  }

  get times(): FileTimes {
    const { created, modified, accessed } = timesOf(this.#inode);
    return {
      ...(created === undefined ? {} : { created }),
      ...(modified === undefined ? {} : { modified }),
      ...(accessed === undefined ? {} : { accessed }),
    };
  }

  get attributes(): readonly string[] {
    const given = this.#attributes.length > 0 ? ['extended attributes'] : [];
    return [...attributesIn(flagsOf(this.#inode)), ...given];
  }

  get beside(): string {
    return besideWords(ownerOf(this.#inode), this.#attributes);
  }
}
