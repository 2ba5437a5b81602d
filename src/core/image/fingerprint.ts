/** What a re-picked image file is recognised by: its size, its date and a digest of its head and tail. */
import type { ByteSource } from './image-device';

const ENDS_BYTES = 1024 * 1024;

/** Plain data kept with a job. */
export interface ImageFingerprint {
  readonly name: string;
  readonly size: number;
  /** Milliseconds since 1970, 0 when unknown. */
  readonly modified: number;
  /** SHA-256 over the first and the last MiB, hexadecimal. */
  readonly ends: string;
}

/** Reads the first and last MiB of `source`. @throws CoreError `device.read-failed` */
export async function fingerprintImage(source: ByteSource, modified: number): Promise<ImageFingerprint> {
  const hash = await (await import('hash-wasm')).createSHA256();
  const length = Math.min(ENDS_BYTES, source.size);
  const part = new Uint8Array(length);
  for (const offset of [0, source.size - length]) {
    await source.read(offset, part);
    hash.update(part);
  }
  return { name: source.name, size: source.size, modified, ends: hash.digest('hex') };
}

/** Whether two fingerprints are of files of the same size, beginning and end, whatever their dates are. */
export function sameContent(a: ImageFingerprint, b: ImageFingerprint): boolean {
  return a.size === b.size && a.ends === b.ends;
}

/** Whether two fingerprints are of the same image; a file may have been renamed. */
export function sameImage(a: ImageFingerprint, b: ImageFingerprint): boolean {
  return sameContent(a, b) && a.modified === b.modified;
}
