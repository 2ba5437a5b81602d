/** What NTFS stores of a file beside content, names, times and attributes: its change time, its rights, where it leads. */
import type { BlockDevice } from '@/core/device';
import type { EntryDetails } from '../entry';
import { readAcross } from './across';
import type { NtfsGeometry } from './boot-sector';
import type { NtfsFile, NtfsStream } from './file';
import type { Mft } from './mft';
import { targetIn } from './mount-point';
import { parseAttributes } from './attribute-cursor';
import { TYPE, undoFixup } from './record';
import type { SecurityDescriptors } from './secure';
import { filetimeToIso } from './times';

const CHANGED_AT = 16;
const SECURITY_ID_AT = 52;
/** Standard information of version 3 has an id of a security descriptor. */
const VERSION_3 = 72;
const LONGEST = 64 * 1024;

/** @throws CoreError `device.read-failed` */
export async function readDetails(
  device: BlockDevice,
  g: NtfsGeometry,
  mft: Mft,
  file: NtfsFile,
  descriptors: SecurityDescriptors,
): Promise<EntryDetails> {
  const { recordSize, clusterSize } = g;
  const record = await readAcross(device, mft.tableRuns, clusterSize, file.number * recordSize, recordSize);
  const attributes = undoFixup(record) === 'ok' ? parseAttributes(record) : undefined;
  const standard = attributes?.find((a) => a.type === TYPE.standardInformation)?.value;
  const view = standard && new DataView(standard.buffer, standard.byteOffset, standard.length);
  const changed =
    view && view.byteLength >= CHANGED_AT + 8 ? filetimeToIso(view.getBigUint64(CHANGED_AT, true)) : undefined;
  const id = view && view.byteLength >= VERSION_3 ? view.getUint32(SECURITY_ID_AT, true) : 0;
  const of = (type: number): Promise<Uint8Array | undefined> =>
    valueOf(
      device,
      g,
      file.streams.find((s) => s.type === type),
    );
  const security = (await of(TYPE.security)) ?? descriptors.get(id);
  const reparse = await of(TYPE.reparsePoint);
  const target = reparse && targetIn(reparse);
  return {
    ...(changed === undefined ? {} : { changed }),
    ...(security ? { security } : {}),
    ...(reparse ? { reparse, folder: file.folder } : {}),
    ...(target === undefined ? {} : { target }),
  };
}

async function valueOf(
  device: BlockDevice,
  { clusterSize }: NtfsGeometry,
  stream: NtfsStream | undefined,
): Promise<Uint8Array | undefined> {
  if (!stream || stream.size > LONGEST) return undefined;
  if (stream.value) return stream.value.slice(0, stream.size);
  return readAcross(device, stream.runs, clusterSize, 0, stream.size);
}
