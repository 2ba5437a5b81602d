/** What is stored of an entry beside its content: whose it is, attributes, where a link leads, which device it is. */
import type { BlockDevice } from '@/core/device';
import type { EntryDetails, FileEntry } from '../entry';
import { attributesInside, attributesOf, inlineOf, SYSTEM, type Attribute } from './attributes';
import { nameText } from './folder-names';
import { attributeBlockOf, FLAG, flagsOf, MAP_AT, ownerOf, sizeOf, timesOf, typeOf, TYPE } from './inode';
import { mapOf, readContent, type ExtState } from './state';
import { has, type Geometry } from './superblock';

/** What stands before the name of an attribute, by its number. */
export const PREFIXES: readonly (readonly [number, string])[] = [
  [1, 'user.'],
  [2, 'system.posix_acl_access'],
  [3, 'system.posix_acl_default'],
  [4, 'trusted.'],
  [6, 'security.'],
  [8, 'system.richacl'],
];

/** Content that stands in an inode is no attribute that anybody gave it. */
const isOwn = ({ prefix }: Attribute): boolean => prefix !== SYSTEM;

export const hasAttributes = (inode: Uint8Array): boolean =>
  attributeBlockOf(inode) !== 0 || attributesInside(inode).some(isOwn);

/** The attributes that somebody gave an entry. */
export async function ownAttributes(device: BlockDevice, g: Geometry, inode: Uint8Array): Promise<Attribute[]> {
  return (await attributesOf(device, g, inode)).filter(isOwn);
}

export async function detailsOf(state: ExtState, entry: FileEntry): Promise<EntryDetails> {
  const { device, g, inodes } = state;
  const inode = inodes.get(entry.id)!;
  const type = typeOf(inode);
  const { changed } = timesOf(inode);
  const all = await ownAttributes(device, g, inode);
  const extended = all.flatMap(({ prefix, name, value, inode: far }) => {
    const before = PREFIXES.find(([n]) => n === prefix)?.[1];
    return before === undefined || far !== 0 ? [] : [{ name: before + nameText(name), value }];
  });
  const path = type === TYPE.link ? await linkPath(state, entry.id, inode) : undefined;
  return {
    owner: ownerOf(inode),
    ...(changed ? { changed } : {}),
    ...(extended.length > 0 ? { extended } : {}),
    ...(path ? { path, target: nameText(path) } : {}),
    ...(entry.kind === 'special' ? { special: { type, device: inode.slice(MAP_AT, MAP_AT + 8) } } : {}),
  };
}

async function linkPath(state: ExtState, number: number, inode: Uint8Array): Promise<Uint8Array> {
  const size = sizeOf(inode);
  const flags = flagsOf(inode);
  if (has(flags, FLAG.inlineData)) return inlineOf(inode);
  if (!has(flags, FLAG.extents) && size < 60) return inode.slice(MAP_AT, MAP_AT + size);
  return readContent(state.device, state.g, mapOf(state, number), Math.min(size, state.g.blockSize));
}
