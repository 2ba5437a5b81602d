/**
 * Whether a volume was put away properly: the dirty mark, an unfinished journal, a hibernated system.
 *
 * Linux-NTFS \u201cNTFS Documentation\u201d, chapters \u201c$Volume\u201d and \u201c$LogFile\u201d. Each is an error with its remedy, since a
 * change now would be undone or mixed up by the system that still has the volume in mind.
 */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import type { NtfsGeometry } from './boot-sector';
import type { NtfsStream } from './file';
import type { Mft } from './mft';
import { TYPE } from './record';

const VOLUME = 3;
const LOG = 2;
const ROOT = 5;
const DIRTY = 0x0001;
const NO_CLIENT = 0xffff;
const CLEAN = 0x0002;
const REMEDY = 'Start the system it belongs to, let it check the volume, and shut it down fully.';

export async function stateFindings(device: BlockDevice, g: NtfsGeometry, mft: Mft): Promise<Finding[]> {
  return [
    ...dirtyFindings(mft),
    ...(await journalFindings(device, g, mft)),
    ...(await hibernationFindings(device, g, mft)),
  ];
}

function dirtyFindings(mft: Mft): Finding[] {
  const information = mft.files.get(VOLUME)?.streams.find((s) => s.type === TYPE.volumeInformation)?.value;
  if (!information || information.length < 12) {
    return [
      {
        severity: 'error',
        code: 'ntfs.volume',
        message: 'The record that describes the volume is missing or damaged.',
      },
    ];
  }
  const flags = information[10]! | (information[11]! << 8);
  if ((flags & DIRTY) === 0) return [];
  return [{ severity: 'error', code: 'ntfs.dirty', message: `The volume was not put away properly. ${REMEDY}` }];
}

async function journalFindings(device: BlockDevice, g: NtfsGeometry, mft: Mft): Promise<Finding[]> {
  const stream = mft.files.get(LOG)?.streams.find((s) => s.type === TYPE.data && s.name === '');
  const page = stream && (await headOf(device, g, stream, 4096));
  if (!page) return [{ severity: 'error', code: 'ntfs.no-journal', message: 'The volume has no journal.' }];
  if (page.every((b) => b === 0xff)) return [];
  const unfinished: Finding = {
    severity: 'error',
    code: 'ntfs.journal',
    message: `The volume\u2019s journal holds unfinished work. ${REMEDY}`,
  };
  const view = new DataView(page.buffer, page.byteOffset, page.length);
  const magic = String.fromCharCode(...page.subarray(0, 4));
  const area = view.getUint16(0x18, true);
  if (magic !== 'RSTR' || area + 16 > page.length) return [unfinished];
  const clean = view.getUint16(area + 12, true) === NO_CLIENT || (view.getUint16(area + 14, true) & CLEAN) !== 0;
  return clean ? [] : [unfinished];
}

async function hibernationFindings(device: BlockDevice, g: NtfsGeometry, mft: Mft): Promise<Finding[]> {
  for (const file of mft.files.values()) {
    // Names are made into text when they are asked for.
    if (file.parent !== ROOT && file.nameCount <= 1) continue;
    if (!file.names.some((n) => n.parent === ROOT && n.name.toLowerCase() === 'hiberfil.sys')) continue;
    const stream = file.streams.find((s) => s.type === TYPE.data && s.name === '');
    const head = stream && (await headOf(device, g, stream, 4));
    const magic = head ? String.fromCharCode(...head).toLowerCase() : '';
    if (magic === 'hibr')
      return [
        { severity: 'error', code: 'ntfs.hibernated', message: `A system is hibernated on this volume. ${REMEDY}` },
      ];
  }
  return [];
}

/** The first bytes of a plain stream, or undefined when they are not stored. */
async function headOf(
  device: BlockDevice,
  g: NtfsGeometry,
  stream: NtfsStream,
  length: number,
): Promise<Uint8Array | undefined> {
  if (stream.value) return stream.value.length >= length ? stream.value.subarray(0, length) : undefined;
  const [run] = stream.runs;
  if (!run || run.lcn < 0 || stream.size < length) return undefined;
  return device.bytes(run.lcn * g.clusterSize, Math.min(length, run.length * g.clusterSize));
}
