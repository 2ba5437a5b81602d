/** The record that describes an NTFS volume: its label, and the mark that has its system check it. */
import { damaged } from './damaged';
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { toUtf16 } from './build-record';
import type { ChangeInput } from './change';
import { normaliseNtfsLabel } from './kinds';
import { MftEdit } from './mft-edit';
import { TYPE } from './record';

const VOLUME = 3;
const FLAGS_AT = 10;
const DIRTY = 0x0001;

/** @throws CoreError `fs.label`, or `fs.damaged` when the label is not where it belongs */
export async function relabelNtfs(input: ChangeInput, label: string, tx: Transaction): Promise<void> {
  const value = toUtf16(normaliseNtfsLabel(label));
  const bitmap = input.bitmap.slice();
  const edit = await MftEdit.open(input, tx, noRoom);
  const volume = await edit.file(VOLUME);
  if (volume.runsOf(TYPE.volumeName)) throw damaged('its label is not where it belongs');
  volume.replace('', [TYPE.volumeName], [{ type: TYPE.volumeName, value }]);
  await edit.write(() => bitmap, input.geometry.clusterCount);
}

/** Marks the volume so that the system it belongs to checks it at its next start. @throws CoreError `fs.damaged` */
export async function markNtfs(input: ChangeInput, tx: Transaction): Promise<void> {
  const bitmap = input.bitmap.slice();
  const edit = await MftEdit.open(input, tx, noRoom);
  const value = (await edit.file(VOLUME)).valueOf(TYPE.volumeInformation);
  if (!value || value.length < FLAGS_AT + 2) throw damaged('its own record makes no sense');
  value[FLAGS_AT]! |= DIRTY;
  await edit.write(() => bitmap, input.geometry.clusterCount);
}

/** A label is short and its record has room; no cluster is ever asked for. */
const noRoom = (count: number): never => {
  throw new CoreError('fs.full', { needed: count, free: 0 });
};
