/** A file or folder of an exFAT volume, in the bytes of its folder: name, size and times are read there when they are asked for. */
import { u64At } from '@/core/bytes';
import type { FileTimes } from '../entry';
import type { Run } from '../free-space';
import { FILE, nameIn, STREAM, timesOf } from './entries';
import type { Owner } from './owner';

/** A folder as it stands on the volume, up to its end mark. */
export interface FolderContent {
  readonly owner: Owner;
  readonly bytes: Uint8Array;
}

/** Where in its folder a set, and the entry with the first cluster, begin. */
export interface EntryPlace {
  readonly folder: FolderContent;
  readonly set: number;
  readonly setBytes: number;
  readonly entry: number;
}

const NO_RUNS: readonly Run[] = [];

/** The path of what an entry of a set is of. */
export function pathAt({ folder: { owner, bytes }, set, setBytes }: EntryPlace, kind: Owner['kind']): string {
  const name = nameIn(bytes, set, setBytes);
  const path = owner.path ? `${owner.path}/${name}` : name;
  return kind === 'other' ? `${path} (further data)` : path;
}

export class EntryOwner implements Owner {
  // Most are in one piece, which is kept as two numbers.
  readonly #start: number;
  readonly #length: number;
  readonly #pieces: readonly Run[] | undefined;
  #path: string | undefined;

  constructor(
    readonly kind: Owner['kind'],
    private readonly place: EntryPlace,
    readonly contiguous: boolean,
    runs: readonly Run[],
  ) {
    this.#start = runs[0]?.start ?? 0;
    this.#length = runs[0]?.length ?? 0;
    this.#pieces = runs.length > 1 ? runs : undefined;
  }

  get at(): NonNullable<Owner['at']> {
    return { ...this.place, folder: this.place.folder.owner };
  }

  get runs(): readonly Run[] {
    if (this.#pieces) return this.#pieces;
    return this.#length > 0 ? [{ start: this.#start, length: this.#length }] : NO_RUNS;
  }

  get path(): string {
    return (this.#path ??= pathAt(this.place, this.kind));
  }

  get size(): number {
    const size = u64At(this.place.folder.bytes, this.place.entry + STREAM.offsets.length);
    return Number.isFinite(size) ? size : 0;
  }

  get validSize(): number {
    const { size } = this;
    if (this.kind !== 'file') return size;
    return Math.min(size, u64At(this.place.folder.bytes, this.place.entry + STREAM.offsets.validLength));
  }

  get attributes(): number {
    return FILE.decode(this.place.folder.bytes, this.place.set).attributes;
  }

  times(): FileTimes {
    return timesOf(FILE.decode(this.place.folder.bytes, this.place.set));
  }
}
