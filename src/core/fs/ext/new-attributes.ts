/** Writing extended attributes: into the inode where they fit, else into a block. */
import { CoreError } from '@/core/errors';
import { ENTRY_HEAD, HEAD_BYTES, INODE_FIELDS, MAGIC } from './attributes';
import { nameBytes } from './folder-names';
import { PREFIXES } from './details';
import { extraSizeOf, viewOf } from './inode';

/** An attribute with its prefix as a number. */
export interface StoredAttribute {
  readonly prefix: number;
  readonly name: Uint8Array;
  readonly value: Uint8Array;
}

/** Attributes by their whole names as they are stored; those whose prefix has no number are left out. */
export function storedAttributes(
  all: readonly { readonly name: string; readonly value: Uint8Array }[],
): StoredAttribute[] {
  const out = all.flatMap(({ name, value }) => {
    const found = PREFIXES.find(([, before]) => (before.endsWith('.') ? name.startsWith(before) : name === before));
    return found ? [{ prefix: found[0], name: nameBytes(name.slice(found[1].length)), value }] : [];
  });
  return out.sort((a, b) => a.prefix - b.prefix || a.name.length - b.name.length || compareBytes(a.name, b.name));
}

function compareBytes(a: Uint8Array, b: Uint8Array): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) if (a[i] !== b[i]) return a[i]! - b[i]!;
  return a.length - b.length;
}

const up = (n: number): number => (n + 3) & ~3;
const spaceFor = (all: readonly StoredAttribute[]): number =>
  all.reduce((sum, { name, value }) => sum + up(ENTRY_HEAD + name.length) + up(value.length), 4);

/** Puts them behind the fields of an inode, in the place of those that are there. @returns whether they fit */
export function putInside(inode: Uint8Array, all: readonly StoredAttribute[]): boolean {
  const at = INODE_FIELDS + extraSizeOf(inode);
  if (inode.length <= INODE_FIELDS || at + 4 + spaceFor(all) > inode.length) return all.length === 0;
  inode.fill(0, at);
  if (all.length === 0) return true;
  viewOf(inode).setUint32(at, MAGIC, true);
  putEntries(inode, at + 4, at + 4, inode.length, all, false);
  return true;
}

/** A block with attributes that one inode has. @throws CoreError `fs.ability` where there is no room for all */
export function attributeBlock(all: readonly StoredAttribute[], blockSize: number): Uint8Array {
  if (HEAD_BYTES + spaceFor(all) > blockSize)
    throw new CoreError('fs.ability', { fileSystem: 'ext', ability: 'hold so many extended attributes of one file' });
  const out = new Uint8Array(blockSize);
  const view = viewOf(out);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, 1, true);
  view.setUint32(8, 1, true);
  const hashes = putEntries(out, HEAD_BYTES, 0, blockSize, all, true);
  view.setUint32(
    12,
    hashes.reduce((hash, own) => ((hash << 16) ^ (hash >>> 16) ^ own) >>> 0, 0),
    true,
  );
  return out;
}

function putEntries(
  out: Uint8Array,
  from: number,
  base: number,
  end: number,
  all: readonly StoredAttribute[],
  hashed: boolean,
): number[] {
  const view = viewOf(out);
  let at = from;
  let values = end;
  return all.map(({ prefix, name, value }) => {
    values -= up(value.length);
    out[at] = name.length;
    out[at + 1] = prefix;
    view.setUint16(at + 2, value.length === 0 ? 0 : values - base, true);
    view.setUint32(at + 8, value.length, true);
    const hash = hashed ? hashOf(name, value) : 0;
    view.setUint32(at + 12, hash, true);
    out.set(name, at + ENTRY_HEAD);
    out.set(value, values);
    at += up(ENTRY_HEAD + name.length);
    return hash;
  });
}

function hashOf(name: Uint8Array, value: Uint8Array): number {
  let hash = 0;
  for (const byte of name) hash = ((hash << 5) ^ (hash >>> 27) ^ byte) >>> 0;
  const padded = new Uint8Array(up(value.length));
  padded.set(value);
  const view = viewOf(padded);
  for (let at = 0; at < padded.length; at += 4) hash = ((hash << 16) ^ (hash >>> 16) ^ view.getUint32(at, true)) >>> 0;
  return hash;
}
