/**
 * On-disk structures described once, as a table of fields; reading, writing and size all come from that table.
 *
 * A field knows its offset, its width and its codec. Encoding touches only the listed fields, so reserved runs keep
 * what they held. Multi-byte integers are little-endian, as in every format here that uses this module.
 */

/** One field: where it is, how wide it is, and how it is read and written. */
export interface Field<T> {
  readonly offset: number;
  readonly width: number;
  get(view: DataView, at: number): T;
  set(view: DataView, at: number, value: T): void;
}

/** Any field: what it reads is unknown here, and it takes only what its own type says. */
interface AnyField {
  readonly offset: number;
  readonly width: number;
  get(view: DataView, at: number): unknown;
  set(view: DataView, at: number, value: never): void;
}

type Fields = Record<string, AnyField>;
type ValueOf<F> = { -readonly [K in keyof F]: F[K] extends Field<infer T> ? T : never };

/** A structure of fixed size with its codec. `at` is always a byte index into `bytes`. */
export interface Struct<T> {
  readonly name: string;
  readonly size: number;
  /** Where each field is, for loops that read only some of them, and many times. */
  readonly offsets: { readonly [K in keyof T]: number };
  decode(bytes: Uint8Array, at?: number): T;
  /** Writes the fields present in `value` into the caller's buffer and leaves every other byte alone. */
  encode(value: Partial<T>, into: Uint8Array, at?: number): void;
}

/** Unsigned 8-bit integer. */
export const u8 = (offset: number): Field<number> => ({
  offset,
  width: 1,
  get: (view, at) => view.getUint8(at),
  set: (view, at, value) => view.setUint8(at, value),
});

/** Unsigned 16-bit integer, little-endian. */
export const u16 = (offset: number): Field<number> => ({
  offset,
  width: 2,
  get: (view, at) => view.getUint16(at, true),
  set: (view, at, value) => view.setUint16(at, value, true),
});

/** Unsigned 32-bit integer, little-endian. */
export const u32 = (offset: number): Field<number> => ({
  offset,
  width: 4,
  get: (view, at) => view.getUint32(at, true),
  set: (view, at, value) => view.setUint32(at, value, true),
});

/** Unsigned 64-bit integer, little-endian, exact. Narrow it with {@link narrow}. */
export const u64 = (offset: number): Field<bigint> => ({
  offset,
  width: 8,
  get: (view, at) => view.getBigUint64(at, true),
  set: (view, at, value) => view.setBigUint64(at, value, true),
});

/** Raw bytes; decoding copies them out of the buffer. */
export const raw = (offset: number, width: number): Field<Uint8Array> => ({
  offset,
  width,
  get: (view, at) => new Uint8Array(view.buffer, view.byteOffset + at, width).slice(),
  set: (view, at, value) => new Uint8Array(view.buffer, view.byteOffset + at, width).set(value.subarray(0, width)),
});

/** Text of one byte a character (Latin-1), padded with spaces when written and kept whole when read. */
export const text = (offset: number, width: number): Field<string> => ({
  offset,
  width,
  get: (view, at) => {
    let out = '';
    for (let i = 0; i < width; i++) out += String.fromCharCode(view.getUint8(at + i));
    return out;
  },
  set: (view, at, value) => {
    for (let i = 0; i < width; i++) view.setUint8(at + i, i < value.length ? value.charCodeAt(i) & 0xff : 0x20);
  },
});

/** Builds the codec of a structure of `size` bytes from its fields. */
export function struct<F extends Fields>(name: string, size: number, fields: F): Struct<ValueOf<F>> {
  const entries = Object.entries(fields) as unknown as [string, Field<unknown>][];
  for (const [key, field] of entries) {
    if (field.offset + field.width > size) throw new RangeError(`${name}.${key} ends beyond its ${size} bytes`);
  }
  const viewOf = (bytes: Uint8Array, at: number): DataView => {
    if (at < 0 || at + size > bytes.length) {
      throw new RangeError(`${name} needs bytes [${at}, ${at + size}) of a buffer of [0, ${bytes.length})`);
    }
    return new DataView(bytes.buffer, bytes.byteOffset + at, size);
  };
  return {
    name,
    size,
    offsets: Object.fromEntries(entries.map(([key, f]) => [key, f.offset])) as { [K in keyof F]: number },
    decode(bytes, at = 0) {
      const view = viewOf(bytes, at);
      const out: Record<string, unknown> = {};
      for (const [key, f] of entries) out[key] = f.get(view, f.offset);
      return out as ValueOf<F>;
    },
    encode(value, into, at = 0) {
      const view = viewOf(into, at);
      for (const [key, f] of entries) {
        const v = (value as Record<string, unknown>)[key];
        if (v !== undefined) f.set(view, f.offset, v);
      }
    },
  };
}

/**
 * A 64-bit value as a number. Exact for 0 ≤ value < 2^53.
 * @throws RangeError beyond that; callers with hostile input compare first.
 */
export function narrow(value: bigint): number {
  if (value < 0n || value > BigInt(Number.MAX_SAFE_INTEGER)) throw new RangeError(`${value} is not a safe integer`);
  return Number(value);
}
