/** The label of an NTFS volume: the name attribute of the record that describes the volume. */
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { toUtf16 } from './build-record';
import { normaliseNtfsLabel } from './kinds';
import { MftSpace } from './mft-space';
import { TYPE } from './record';
import { RecordEditor } from './record-editor';
import type { ResizeInput } from './resize';

const VOLUME = 3;

/** @throws CoreError `fs.label`, or `fs.record-full` when the record has no room for it */
export async function relabelNtfs(input: ResizeInput, label: string, tx: Transaction): Promise<void> {
  const value = toUtf16(normaliseNtfsLabel(label));
  const space = await MftSpace.open(input);
  const editor = new RecordEditor(VOLUME, await space.read(VOLUME));
  const attribute = editor.attributes.find((a) => a.type === TYPE.volumeName);
  if (attribute?.value) editor.setValue(attribute, value);
  else if (attribute)
    throw new CoreError('fs.damaged', { fileSystem: 'NTFS', reason: 'its label is not where it belongs', offset: 0 });
  else editor.replaceNamed('', [TYPE.volumeName], [{ type: TYPE.volumeName, value }]);
  await space.write(new Map([[VOLUME, editor.build()]]), input.bitmap.slice(), tx);
}
