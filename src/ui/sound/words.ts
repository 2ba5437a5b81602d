/** What lies on a place, in words. */
import { stretchOf, type ScanHit, type ScanRecord } from '@/core/health';
import type { Layout } from '@/core/layout';
import { nameOf } from '@/core/layout';

/** The file, or what else it is. */
export const hitPlace = ({ path, what }: ScanHit): string =>
  path ?? (what === 'structure' ? 'a structure of the volume' : (what ?? 'being looked up'));

/** How much of what it reads a scan has read. */
export function readWords(scan: ScanRecord, size: (bytes: number) => string): string {
  const { start, end } = stretchOf(scan);
  return `${size(scan.done - start)} of ${size(end - start)} read`;
}

/** The volume that a place is on, as the disk's job calls it. */
export function volumeWords(layout: Layout, { number }: ScanHit): string {
  if (number === undefined) return 'on no volume';
  const volume = layout.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number);
  return `on ${volume?.letter ?? (volume ? nameOf(volume) : `volume ${number}`)}`;
}
