/** What kind of link an entry is, which decides where it can be kept. */
import type { FileEntry, Holdings } from '@/core/fs';

/** None for what is no link. */
export function linkOf({
  kind,
  attributes,
}: Pick<FileEntry, 'kind' | 'attributes'>): 'links' | 'path links' | undefined {
  if (kind !== 'link') return undefined;
  return attributes.includes('reparse point') ? 'links' : 'path links';
}

/** Whether an entry can be on a kind of volume at all. */
export function canHold(holds: Holdings, entry: Pick<FileEntry, 'kind' | 'attributes'>): boolean {
  const link = linkOf(entry);
  if (link) return holds.keeps.includes(link);
  return entry.kind !== 'special' || holds.keeps.includes('special files');
}
