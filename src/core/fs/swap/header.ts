/**
 * The header of a swap area: its first page, the last ten bytes of which are its signature.
 *
 * As the kernel's `swap.h` lays it out (version 1): in the byte order, and with pages of the size, of the machine that
 * made it.
 */
import { CoreError } from '@/core/errors';
import type { BlockDevice } from '@/core/device';

export const PAGE_SIZES = [4096, 8192, 16_384, 32_768, 65_536] as const;
const SIGNATURE_BYTES = 10;
const NORMAL = 'SWAPSPACE2';
/** What stands there while a system that sleeps has its memory in it. */
const SLEEPING = ['S1SUSPEND', 'S2SUSPEND', 'ULSUSPEND', 'LINHIB0001'];
const SIGNATURE_FIRSTS = new Set([NORMAL, ...SLEEPING].map((s) => s.charCodeAt(0)));
const AT = { version: 1024, lastPage: 1028, badCount: 1032, uuid: 1036, label: 1052, bad: 1536 } as const;
const LABEL_BYTES = 16;

export interface SwapHeader {
  readonly pageSize: number;
  readonly little: boolean;
  readonly lastPage: number;
  readonly badPages: readonly number[];
  readonly uuid: Uint8Array;
  readonly label: string;
  /** A system that sleeps has its memory here. */
  readonly sleeping: boolean;
  readonly bytes: Uint8Array;
}

/** Whether a version that is known stands where a header that begins at an index has it, in either byte order. */
export function isVersioned(bytes: Uint8Array, index: number): boolean {
  const at = index + AT.version;
  const [first, last] = [bytes[at], bytes[at + 3]];
  return (first === 1 && last === 0) || (first === 0 && last === 1);
}

/** The header, or undefined where there is none. @throws CoreError `fs.damaged` where it makes no sense */
export async function readHeader(device: BlockDevice): Promise<SwapHeader | undefined> {
  return headerIn(await device.bytes(0, Math.min(device.size, PAGE_SIZES.at(-1)!)), device.size);
}

/**
 * The header that the bytes begin with, or undefined.
 * @param size bytes there are for the area
 * @throws CoreError `fs.damaged` where it makes no sense
 */
export function headerIn(head: Uint8Array, size: number): SwapHeader | undefined {
  for (const pageSize of PAGE_SIZES) {
    if (pageSize > head.length) break;
    // All signatures begin with one of these letters; this is asked of every sector of a disk.
    if (!SIGNATURE_FIRSTS.has(head[pageSize - SIGNATURE_BYTES]!)) continue;
    const signature = String.fromCharCode(...head.subarray(pageSize - SIGNATURE_BYTES, pageSize));
    const sleeping = SLEEPING.some((s) => signature.startsWith(s));
    if (signature === NORMAL || sleeping) return parse(head.slice(0, pageSize), sleeping, size);
  }
  return undefined;
}

function parse(bytes: Uint8Array, sleeping: boolean, size: number): SwapHeader {
  const view = new DataView(bytes.buffer);
  const little = view.getUint32(AT.version, true) === 1;
  const pageSize = bytes.length;
  const lastPage = view.getUint32(AT.lastPage, little);
  const count = view.getUint32(AT.badCount, little);
  const most = (pageSize - AT.bad - SIGNATURE_BYTES) / 4;
  const damaged = (reason: string): CoreError => new CoreError('fs.damaged', { fileSystem: 'swap', reason, offset: 0 });
  if (!little && view.getUint32(AT.version, false) !== 1) throw damaged('it is of a version that is not known here');
  if (lastPage === 0 || (lastPage + 1) * pageSize > size) throw damaged('it claims more pages than there are');
  if (count > most) throw damaged('its list of bad pages is too long');
  const end = bytes.indexOf(0, AT.label);
  const label = bytes.subarray(AT.label, end < 0 ? AT.label + LABEL_BYTES : Math.min(end, AT.label + LABEL_BYTES));
  return {
    pageSize,
    little,
    lastPage,
    badPages: Array.from({ length: count }, (_, i) => view.getUint32(AT.bad + 4 * i, little)),
    uuid: bytes.slice(AT.uuid, AT.uuid + 16),
    label: new TextDecoder().decode(label),
    sleeping,
    bytes,
  };
}

/** A header with some of it changed. */
export function changedHeader(
  header: Pick<SwapHeader, 'bytes' | 'little' | 'badPages'>,
  change: { lastPage?: number; uuid?: Uint8Array; label?: string },
): Uint8Array {
  const out = header.bytes.slice();
  const view = new DataView(out.buffer);
  if (change.lastPage !== undefined) {
    const last = change.lastPage;
    const bad = header.badPages.filter((page) => page <= last);
    view.setUint32(AT.lastPage, last, header.little);
    view.setUint32(AT.badCount, bad.length, header.little);
    header.badPages.forEach((_, i) => view.setUint32(AT.bad + 4 * i, bad[i] ?? 0, header.little));
  }
  if (change.uuid) out.set(change.uuid, AT.uuid);
  if (change.label !== undefined) {
    out.fill(0, AT.label, AT.label + LABEL_BYTES);
    out.set(new TextEncoder().encode(change.label).subarray(0, LABEL_BYTES), AT.label);
  }
  return out;
}

/** The header of a new area. */
export function newHeader(pageSize: number, lastPage: number, uuid: Uint8Array, label: string): Uint8Array {
  const bytes = new Uint8Array(pageSize);
  const view = new DataView(bytes.buffer);
  view.setUint32(AT.version, 1, true);
  bytes.set(new TextEncoder().encode(NORMAL), pageSize - SIGNATURE_BYTES);
  return changedHeader({ bytes, little: true, badPages: [] }, { lastPage, uuid, label });
}
