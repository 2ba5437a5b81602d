/** How much of files with holes is stored: what they take on a volume that keeps the holes. */
import { COMPRESSED, type FileEntry, type Volume } from '@/core/fs';

/** What of a file is no hole. */
export interface StoredSize {
  readonly bytes: number;
  /** Into how many stretches, each of which may begin and end in the middle of a cluster. */
  readonly stretches: number;
}

/** By path, for all entries that have holes. Nothing of their content is read. @throws CoreError `fs.damaged` */
export async function storedSizes(volume: Volume, entries: readonly FileEntry[]): Promise<Map<string, StoredSize>> {
  const out = new Map<string, StoredSize>();
  for (const entry of entries) {
    // What is compressed as well has to be decoded to be known.
    if (!entry.attributes.includes('sparse') || entry.attributes.includes(COMPRESSED)) continue;
    let [bytes, stretches] = [0, 0];
    for await (const run of volume.content(entry)) {
      if (run.kind === 'zeros') continue;
      bytes += run.kind === 'bytes' ? run.bytes.length : run.length;
      stretches += 1;
    }
    out.set(entry.path, { bytes, stretches });
  }
  return out;
}
