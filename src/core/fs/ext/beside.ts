/** What stands beside the content of an entry, in short: mode, owner, and a checksum of its attributes. */
import { crc32 } from '@/core/bytes';
import type { EntryKind } from '../entry';
import type { Attribute } from './attributes';

/** Modes of entries that come from kinds which have none. */
export const NEW_MODES: Readonly<Record<EntryKind, number>> = {
  file: 0o644,
  folder: 0o755,
  link: 0o777,
  special: 0o644,
};

export function besideWords(
  { mode, user, group }: { readonly mode: number; readonly user: number; readonly group: number },
  attributes: readonly Attribute[] = [],
): string {
  const own = `${mode.toString(8).padStart(4, '0')} ${user}:${group}`;
  if (attributes.length === 0) return own;
  const each = attributes.map(({ prefix, name, value }) => [prefix, [...name].join(), crc32(value)].join());
  const sum = crc32(new TextEncoder().encode(each.sort().join(';')));
  return `${own} +${sum.toString(16).padStart(8, '0')}`;
}
