/**
 * The BlockDevice port: a run of bytes that is read and written by offset and length.
 *
 * The public methods check their arguments once; implementations get exactly what the types promise. Offsets and
 * lengths are bytes and safe integers. Buffers are borrowed for the duration of the call: a device neither keeps
 * `into` nor `from` after its promise settles. Going beyond the device is our own mistake, a RangeError with both
 * half-open ranges; callers compare numbers from a disk first.
 */
import { fillProcedural } from './procedural';
import { PIECE_BYTES, readPieces } from './pieces';

/** Where a run of bytes comes from when a device knows it without reading: a procedural stream. */
export interface SourceRun {
  readonly seed: number;
  readonly at: number;
  readonly length: number;
}

/** A readable, writable run of bytes with a sector size and a durability barrier. */
export abstract class BlockDevice {
  #unseen: Uint8Array | undefined;
  /** Bytes; a multiple of `sectorSize`. */
  abstract readonly size: number;
  /** Bytes a sector, 512 or 4096. */
  abstract readonly sectorSize: number;

  protected abstract readAt(offset: number, into: Uint8Array): Promise<void>;
  protected abstract writeAt(offset: number, from: Uint8Array): Promise<void>;

  /** Fills `into` from `offset`. @throws CoreError `device.read-failed` */
  read(offset: number, into: Uint8Array): Promise<void> {
    this.assertRange(offset, into.length);
    return into.length === 0 ? Promise.resolve() : this.readAt(offset, into);
  }

  /** Writes all of `from` at `offset`; durable only after {@link flush}. @throws CoreError `device.write-failed` */
  write(offset: number, from: Uint8Array): Promise<void> {
    this.assertRange(offset, from.length);
    return from.length === 0 ? Promise.resolve() : this.writeAt(offset, from);
  }

  /** Whether copying only notes where bytes come from, so that any length of it costs next to nothing. */
  get refers(): boolean {
    return false;
  }

  /** Returns when everything written before is durable. */
  async flush(): Promise<void> {}

  /** A fresh buffer of `length` bytes read from `offset`. */
  async bytes(offset: number, length: number): Promise<Uint8Array> {
    const into = new Uint8Array(length);
    await this.read(offset, into);
    return into;
  }

  /** Reads a range for nothing but to see whether it can be read. @throws CoreError `device.read-failed` */
  verify(offset: number, length: number): Promise<void> {
    this.assertRange(offset, length);
    return this.verifyAt(offset, length);
  }

  protected async verifyAt(offset: number, length: number): Promise<void> {
    // Nobody looks at what is read, so that one buffer will do for all of it, and for several at once.
    const buffer = (this.#unseen ??= new Uint8Array(PIECE_BYTES));
    for (let done = 0; done < length; done += buffer.length)
      await this.read(offset + done, buffer.subarray(0, Math.min(buffer.length, length - done)));
  }

  /** Copies `length` bytes; the ranges may overlap only if `to` is below `from`. */
  copy(from: number, to: number, length: number): Promise<void> {
    this.assertRange(from, length);
    this.assertRange(to, length);
    return this.copyAt(from, to, length);
  }

  protected async copyAt(from: number, to: number, length: number): Promise<void> {
    // Reading ahead reads nothing that was written: where ranges overlap, what is written lies before it.
    for await (const { offset, bytes } of readPieces(this, [{ start: from, end: from + length }]))
      await this.write(to + offset - from, bytes);
  }

  /** Makes a range read as zeros, without storing them where the device can. */
  discard(offset: number, length: number): Promise<void> {
    this.assertRange(offset, length);
    return this.discardAt(offset, length);
  }

  protected async discardAt(offset: number, length: number): Promise<void> {
    const zeros = new Uint8Array(Math.min(length, PIECE_BYTES));
    for (let done = 0; done < length; done += zeros.length) {
      await this.write(offset + done, zeros.subarray(0, Math.min(zeros.length, length - done)));
    }
  }

  /** Puts `length` bytes of the procedural stream `seed`, from `at` on, at `offset`. */
  place(offset: number, length: number, seed: number, at: number): Promise<void> {
    this.assertRange(offset, length);
    return this.placeAt(offset, length, seed, at);
  }

  protected async placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    const buffer = new Uint8Array(Math.min(length, PIECE_BYTES));
    for (let done = 0; done < length; done += buffer.length) {
      const part = buffer.subarray(0, Math.min(buffer.length, length - done));
      fillProcedural(seed, at + done, part);
      await this.write(offset + done, part);
    }
  }

  /** The procedural sources of a range in order, or undefined when any byte of it is real. */
  sources(offset: number, length: number): SourceRun[] | undefined {
    this.assertRange(offset, length);
    return this.sourcesAt(offset, length);
  }

  protected sourcesAt(_offset: number, _length: number): SourceRun[] | undefined {
    return undefined;
  }

  /** The ranges of [start, end) that may hold anything but zeros, in order; whatever is left out reads as zeros. */
  *occupied(start = 0, end = this.size): Generator<{ start: number; end: number }> {
    if (start < end) yield { start, end };
  }

  private assertRange(offset: number, length: number): void {
    if (!Number.isSafeInteger(offset) || !Number.isSafeInteger(length) || length < 0) {
      throw new RangeError(`expected safe integers, got offset ${offset} and length ${length}`);
    }
    if (offset < 0 || offset + length > this.size) {
      throw new RangeError(`range [${offset}, ${offset + length}) is outside the device [0, ${this.size})`);
    }
  }
}
