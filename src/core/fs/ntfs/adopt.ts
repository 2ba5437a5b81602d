/**
 * Taking over the files of another volume where they lie. Both have clusters of one size, and the other volume begins a
 * whole number of them behind the start of this one: its files get records here, with the runs they have there shifted by
 * that. Nothing of what they hold is read or written.
 */
import { CoreError } from '@/core/errors';
import { damaged } from './damaged';
import type { FileEntry } from '../entry';
import type { Adoption } from '../port';
import { readAcross } from './across';
import type { ChangeInput } from './change';
import { FileRecords } from './file-records';
import { TYPE } from './record';
import type { HeldAttribute } from './record-packer';
import type { SecurityDescriptors } from './secure';
import { behindEntry } from './tree';
import type { NtfsWriter } from './writer';

/** A stretch of clusters that belong to somebody else while a change is made. */
export interface Reserved {
  readonly lcn: number;
  readonly length: number;
}

/** A file of another volume, as far as it is taken over. */
export interface AdoptedFile {
  readonly flags: number;
  /** Standard information, and the first long name, as they are there. */
  readonly standard: Uint8Array;
  readonly name: Uint8Array;
  readonly security: Uint8Array | undefined;
  readonly reparse: Uint8Array | undefined;
  /** Everything else that goes over as it is, with its runs where they lie here. */
  readonly held: readonly HeldAttribute[];
}

/** Of a volume of its own: told anew here, or found by views that belong to it. */
const OWN = new Set<number>([
  TYPE.standardInformation,
  TYPE.attributeList,
  TYPE.fileName,
  TYPE.objectId,
  TYPE.security,
]);
const INDEX = new Set<number>([TYPE.indexRoot, TYPE.indexAllocation, TYPE.bitmap]);
const SECURITY_ID_AT = 52;
const VERSION_3 = 72;
const SPACE_AT = 65;
const DOS_SPACE = 2;

/** The clusters that another volume has of one that grows over it. */
export function reservedFor({ geometry: g }: ChangeInput, source: ChangeInput, { offset, size }: Adoption): Reserved {
  const { clusterSize } = g;
  if (source.geometry.clusterSize !== clusterSize || offset % clusterSize !== 0)
    throw new CoreError('fs.ability', { fileSystem: 'NTFS', ability: 'take over files whose clusters do not line up' });
  const lcn = offset / clusterSize;
  const count = Math.floor((size - g.sectorSize) / clusterSize);
  const length = Math.ceil(source.device.size / clusterSize);
  return { lcn, length: Math.max(0, Math.min(length, count - lcn)) };
}

/** Takes over a tree by a writer on the grown volume. @throws CoreError `fs.damaged`, `fs.full` */
export async function takeOver(
  writer: NtfsWriter,
  source: ChangeInput,
  descriptors: SecurityDescriptors,
  { above, entries }: Adoption,
  shift: number,
): Promise<void> {
  for (const { path, facts } of above) await writer.mkdir(path, facts);
  const first = new Map<number, string>();
  for (const { entry, to } of entries) {
    const known = first.get(entry.id);
    if (known !== undefined) await writer.hardLink(to, known);
    else await writer.adopt(to, await fileOf(source, descriptors, entry, shift));
    first.set(entry.id, known ?? to);
  }
}

async function fileOf(
  { device, geometry, mft }: ChangeInput,
  descriptors: SecurityDescriptors,
  entry: FileEntry,
  shift: number,
): Promise<AdoptedFile> {
  const found = behindEntry(mft, entry.id)?.file;
  if (!found) throw new CoreError('fs.not-found', { path: entry.path });
  const { recordSize, clusterSize } = geometry;
  const read = (n: number): Promise<Uint8Array> =>
    readAcross(device, mft.tableRuns, clusterSize, n * recordSize, recordSize);
  const records = await FileRecords.load(found.number, found.extensions, read, geometry);
  const standard = records.valueOf(TYPE.standardInformation);
  const name = records.names().find((value) => value[SPACE_AT] !== DOS_SPACE);
  if (!standard || !name) {
    throw damaged(`record ${found.number} has no name or no times`);
  }
  const id = standard.length >= VERSION_3 ? viewOf(standard).getUint32(SECURITY_ID_AT, true) : 0;
  const held = records.attributes.filter(
    (h) => !OWN.has(h.type) && !(found.folder && h.name === '$I30' && INDEX.has(h.type)),
  );
  return {
    flags: records.flags,
    standard: standard.slice(),
    name: name.slice(),
    security: records.valueOf(TYPE.security)?.slice() ?? descriptors.get(id),
    reparse: records.valueOf(TYPE.reparsePoint)?.slice(),
    held: held.map((h) =>
      h.runs ? { ...h, runs: h.runs.map((r) => (r.lcn < 0 ? r : { ...r, lcn: r.lcn + shift })) } : h,
    ),
  };
}

const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
