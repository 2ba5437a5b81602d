/** What lies on a place, in words. */
import type { ScanHit } from '@/core/health';
import type { Layout } from '@/core/layout';
import { nameOf } from '@/core/layout';

/** The file, or what else it is. */
export const hitPlace = ({ path, what }: ScanHit): string =>
  path ?? (what === 'structure' ? 'a structure of the volume' : (what ?? 'being looked up'));

/** The volume that a place is on, as the disk's job calls it. */
export function volumeWords(layout: Layout, { number }: ScanHit): string {
  if (number === undefined) return 'on no volume';
  const volume = layout.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number);
  return `on ${volume?.letter ?? (volume ? nameOf(volume) : `volume ${number}`)}`;
}
