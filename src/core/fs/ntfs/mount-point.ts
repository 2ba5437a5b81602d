/**
 * Reparse points that lead to another place: MS-FSCC 2.1.2.5, “Mount Point Reparse Data Buffer”, and 2.1.2.4, “Symbolic
 * Link Reparse Data Buffer”, whose names begin four bytes later.
 */
import { struct, u16, u32, utf16 } from '@/core/bytes';
import { toUtf16 } from './build-record';

const TAG = 0xa0000003;
const SYMBOLIC = 0xa000000c;
const SYMBOLIC_FLAGS = 4;
const HEAD = struct('mount point', 16, {
  tag: u32(0),
  dataLength: u16(4),
  substituteOffset: u16(8),
  substituteLength: u16(10),
  printOffset: u16(12),
  printLength: u16(14),
});
const FIXED = 8;
const END = 2;

/** Where a link leads, as a person would be shown it; undefined for other kinds, and where it makes no sense. */
export function targetIn(reparse: Uint8Array): string | undefined {
  if (reparse.length < HEAD.size) return undefined;
  const { tag, substituteOffset, substituteLength, printOffset, printLength } = HEAD.decode(reparse);
  if (tag !== TAG && tag !== SYMBOLIC) return undefined;
  const names = reparse.subarray(HEAD.size + (tag === SYMBOLIC ? SYMBOLIC_FLAGS : 0));
  const [at, length] = printLength > 0 ? [printOffset, printLength] : [substituteOffset, substituteLength];
  return at + length <= names.length ? utf16(names.subarray(at, at + length)) : undefined;
}

/** @param path with its letter: `E:\\Photos` */
export function mountPoint(path: string): Uint8Array {
  const substitute = toUtf16(`\\??\\${path}`);
  const print = toUtf16(path);
  const names = substitute.length + END + print.length + END;
  const out = new Uint8Array(HEAD.size + names);
  HEAD.encode(
    {
      tag: TAG,
      dataLength: FIXED + names,
      substituteOffset: 0,
      substituteLength: substitute.length,
      printOffset: substitute.length + END,
      printLength: print.length,
    },
    out,
  );
  out.set(substitute, HEAD.size);
  out.set(print, HEAD.size + substitute.length + END);
  return out;
}
