/**
 * The views in $Extend by which files are found that lead elsewhere, or that have an identity of their own. They follow
 * when such files come and go.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$ObjId” and “$Reparse”: keys of the one are identities, with the file in the
 * data; keys of the other are the kind of link and the file.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { readAcross } from './across';
import type { NtfsGeometry } from './boot-sector';
import { viewEntry } from './build-record';
import type { FileRecords } from './file-records';
import { BY_ULONGS } from './extend';
import { readIndex, type ReadEntry } from './index-reader';
import { buildTree, type BuiltIndex } from './index-tree';
import type { Mft } from './mft';
import { TYPE } from './record';

const EXTEND = 11;
/** Where in the data of an identity the file stands, and where in the key of a link. */
const REFERENCE_IN_DATA = 0;
const REFERENCE_IN_KEY = 4;
const DATA_OFFSET_AT = 0;

/** A file that leads elsewhere. */
export interface ReparsedFile {
  readonly tag: number;
  readonly reference: bigint;
}

/** The record of a file in $Extend, or undefined where the volume has none. */
export function extendRecord(mft: Mft, name: '$ObjId' | '$Reparse'): number | undefined {
  for (const file of mft.files.values()) {
    if (file.number > 1000) return undefined;
    if (file.names.some((n) => n.parent === EXTEND && n.name === name)) return file.number;
  }
  return undefined;
}

/** The entries of a view. @throws CoreError `fs.damaged` */
export async function readView(
  device: BlockDevice,
  g: NtfsGeometry,
  file: FileRecords,
  name: string,
): Promise<readonly ReadEntry[]> {
  const root = file.valueOf(TYPE.indexRoot, name);
  const runs = file.runsOf(TYPE.indexAllocation, name) ?? [];
  const blocks = await readAcross(device, runs, g.clusterSize, 0, file.sizeOf(TYPE.indexAllocation, name));
  const unit = g.clusterSize <= g.indexSize ? g.clusterSize : 512;
  const read = root ? readIndex(root, blocks, g.indexSize, unit) : { fault: 'it has no root' };
  if ('entries' in read) return read.entries;
  const reason = `the view ${name} of record ${file.number} can’t be read: ${read.fault}`;
  throw new CoreError('fs.damaged', { fileSystem: 'NTFS', reason, offset: 0 });
}

const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.length);

/** The view of links without those of files that are gone, and with new ones. */
export function changedLinks(
  entries: readonly ReadEntry[],
  gone: ReadonlySet<bigint>,
  added: readonly ReparsedFile[],
  g: NtfsGeometry,
): BuiltIndex {
  const kept = entries.filter(
    ({ key }) => key.length < 12 || !gone.has(viewOf(key).getBigUint64(REFERENCE_IN_KEY, true)),
  );
  const fresh = added.map(({ tag, reference }) => {
    const key = new Uint8Array(12);
    viewOf(key).setUint32(0, tag, true);
    viewOf(key).setBigUint64(REFERENCE_IN_KEY, reference, true);
    return { key, bytes: entryBytes(key) };
  });
  const sorted = [...kept, ...fresh].sort((a, b) => byUlongs(a.key, b.key));
  return buildTree(
    sorted.map((e) => e.bytes),
    g,
    { type: 0, collation: BY_ULONGS },
  );
}

/** The view of identities without those of files that are gone. */
export function changedIdentities(
  entries: readonly ReadEntry[],
  gone: ReadonlySet<bigint>,
  g: NtfsGeometry,
): BuiltIndex {
  const kept = entries.filter(({ bytes }) => {
    const data = viewOf(bytes).getUint16(DATA_OFFSET_AT, true);
    return data + 8 > bytes.length || !gone.has(viewOf(bytes).getBigUint64(data + REFERENCE_IN_DATA, true));
  });
  return buildTree(
    kept.map((e) => e.bytes),
    g,
    { type: 0, collation: BY_ULONGS },
  );
}

/** An entry of a view that has a key and no data. */
function entryBytes(key: Uint8Array): Uint8Array {
  const { head } = viewEntry(key, new Uint8Array());
  const out = new Uint8Array(Math.ceil((16 + key.length) / 8) * 8);
  out.set(head);
  viewOf(out).setUint16(8, out.length, true);
  viewOf(out).setUint16(10, key.length, true);
  out.set(key, 16);
  return out;
}

function byUlongs(a: Uint8Array, b: Uint8Array): number {
  for (let at = 0; at + 4 <= Math.min(a.length, b.length); at += 4) {
    const by = viewOf(a).getUint32(at, true) - viewOf(b).getUint32(at, true);
    if (by !== 0) return by;
  }
  return a.length - b.length;
}
