/** What a record of the master file table says of its file: names, streams, times. */
import { ascii } from '@/core/bytes';
import type { FileTimes } from '../entry';
import { decodeRuns, type DataRun } from './runlist';
import { isoFromHalves } from './times';

/** A name of a file in a folder. */
export interface NtfsName {
  readonly parent: number;
  readonly name: string;
}

/** Shared by the many files that have none, and never added to. */
const NONE: never[] = [];

/** The list with one more. A list that begins with its first item takes no room for others, and most have one. */
export function added<T>(list: T[], item: T): T[] {
  if (list === NONE) return [item];
  list.push(item);
  return list;
}

/** A stream: its bytes if resident, else its runs. */
export class NtfsStream {
  #runs: readonly DataRun[] | undefined;

  /** Bytes [from, to) are its own if resident, else its mapping pairs, which were found to make sense. */
  constructor(
    readonly type: number,
    readonly name: string,
    readonly flags: number,
    readonly resident: boolean,
    readonly compressionUnit: number,
    /** Bytes of clusters set aside for it, holes of a sparse one included or not as its header says. */
    readonly allocated: number,
    readonly size: number,
    readonly initialised: number,
    private readonly bytes: Uint8Array,
    private readonly from: number,
    private readonly to: number,
  ) {}

  /** Decoded when they are asked for: most passes over a table want names and sizes. */
  get runs(): readonly DataRun[] {
    return (this.#runs ??= this.resident ? NONE : (decodeRuns(this.#body, Infinity, Infinity) ?? NONE));
  }

  get value(): Uint8Array | undefined {
    return this.resident ? this.#body : undefined;
  }

  get #body(): Uint8Array {
    return this.bytes.subarray(this.from, this.to);
  }

  /** The same stream with other runs. */
  over(runs: readonly DataRun[]): NtfsStream {
    const { type, name, flags, compressionUnit, allocated, size, initialised, bytes, from, to } = this;
    const out = new NtfsStream(
      type,
      name,
      flags,
      false,
      compressionUnit,
      allocated,
      size,
      initialised,
      bytes,
      from,
      to,
    );
    out.#runs = runs;
    return out;
  }
}

/** A base record in use, with what its extension records add. */
export class NtfsFile {
  sequence = -1;
  folder = false;
  links = 0;
  attributes = 0;
  /** The first name; most files have one, and a list for each would be a burden. The folder is -1 where there is none. */
  parent = -1;
  #name = '';
  /** Where the name is while nobody has asked for it: most passes over a table want none. */
  #nameBytes: Uint8Array | undefined = undefined;
  #nameFrom = 0;
  #nameTo = 0;
  /** 8.3 names, which only repeat a long one. */
  shortNames: NtfsName[] = NONE;
  #furtherNames: NtfsName[] = NONE;
  #stream: NtfsStream | undefined = undefined;
  #furtherStreams: NtfsStream[] = NONE;
  /** Records that extend this one, in the order of the table. */
  extensions: number[] = NONE;
  #stamps: Uint32Array | undefined = undefined;
  #stampsAt = 0;

  constructor(readonly number: number) {}

  get name(): string {
    if (this.#nameBytes) {
      this.#name = ascii(this.#nameBytes, this.#nameFrom, this.#nameTo);
      this.#nameBytes = undefined;
    }
    return this.#name;
  }

  /** Gives it its first name, in ASCII in bytes [from, to), which have to stay what they are. */
  named(parent: number, bytes: Uint8Array, from: number, to: number): void {
    this.parent = parent;
    this.#nameBytes = bytes;
    this.#nameFrom = from;
    this.#nameTo = to;
  }

  get names(): NtfsName[] {
    return this.parent < 0 ? [] : [{ parent: this.parent, name: this.name }, ...this.#furtherNames];
  }

  /** Names beside the first. */
  get furtherNames(): readonly NtfsName[] {
    return this.#furtherNames;
  }

  /** How many {@link names} there are, none of which is made for it. */
  get nameCount(): number {
    return this.parent < 0 ? 0 : 1 + this.#furtherNames.length;
  }

  addName(parent: number, name: string): void {
    if (this.parent >= 0) this.#furtherNames = added(this.#furtherNames, { parent, name });
    else {
      this.parent = parent;
      this.#name = name;
    }
  }

  get streams(): NtfsStream[] {
    return this.#stream ? [this.#stream, ...this.#furtherStreams] : [];
  }

  set streams([first, ...further]: NtfsStream[]) {
    this.#stream = first;
    this.#furtherStreams = further.length > 0 ? further : NONE;
  }

  /** The stream, where there is one and no more. */
  get onlyStream(): NtfsStream | undefined {
    return this.#furtherStreams.length === 0 ? this.#stream : undefined;
  }

  addStream(stream: NtfsStream): void {
    if (this.#stream) this.#furtherStreams = added(this.#furtherStreams, stream);
    else this.#stream = stream;
  }

  /** Its times are words from `at` on: created, modified, accessed, the low half of each before the high one. */
  stampedAt(stamps: Uint32Array, at: number): void {
    this.#stamps = stamps;
    this.#stampsAt = at;
  }

  get times(): FileTimes {
    return { created: this.#time(0), modified: this.#time(2), accessed: this.#time(4) };
  }

  #time(word: number): string | undefined {
    if (!this.#stamps) return undefined;
    const at = this.#stampsAt + word;
    return isoFromHalves(this.#stamps[at]!, this.#stamps[at + 1]!);
  }
}
