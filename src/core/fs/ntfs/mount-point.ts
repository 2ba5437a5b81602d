/** The reparse point of a folder that leads to another one: MS-FSCC 2.1.2.5, “Mount Point Reparse Data Buffer”. */
import { struct, u16, u32 } from '@/core/bytes';
import { toUtf16 } from './build-record';

const TAG = 0xa0000003;
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
