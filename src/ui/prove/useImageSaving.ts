'use client';

import { CoreError } from '@/core/errors';
import { cutIntoParts, partName } from '@/core/image';
import { engine, given, listener } from '@/engine';
import type { Current } from '@/state';
import { useState } from 'react';
import { download, folderPicker, savePicker } from '../kit';

/** Forms that an image is saved in beside a raw one. */
export const FORMS = ['gz', 'qcow2', 'zip', 'vhd', 'vhdx'] as const;
type ImageForm = 'raw' | (typeof FORMS)[number];

/** Saves the disk as an image: how far that is, where it can be told, up to `same`, and what stood in its way. */
export function useImageSaving({ id, disk }: Current) {
  const [saved, setSaved] = useState<number | 'same'>();
  const [fault, setFault] = useState<string>();
  const name = `${disk.stored.name.replace(/[^\p{L}\p{N} _-]/gu, '')} divided.img`;
  // It comes by another way than the end does, and so may come after it.
  const went = (share: number): void =>
    setSaved((before) => (before === 'same' ? before : Math.max(before ?? 0, share)));
  const saveRaw = async (): Promise<void> => {
    const pick = savePicker();
    if (!pick) return download(name, disk.survey!.size, (port) => engine('serveImage', id, 'raw', given(port)));
    const handle = await pick({ suggestedName: name }).catch(() => undefined);
    if (!handle) return;
    setSaved(0);
    const progress = listener((done: number, total: number) => went(done / total));
    await engine('exportTo', id, handle, progress);
    setSaved('same');
  };
  const saveAs = (form: Exclude<ImageForm, 'raw'>): Promise<void> => {
    const own = form === 'gz' ? `${name}.gz` : name.replace(/img$/, form);
    return download(own, 0, (port) => engine('serveImage', id, form, given(port)));
  };
  /** One behind the other: into a folder that is picked, or each as a download where there are no pickers. */
  const inParts = async (partSize: number): Promise<void> => {
    const parts = cutIntoParts(disk.survey!, partSize).map((p, i) => ({ ...p, name: partName(`${name}.001`, i + 1) }));
    const pick = folderPicker();
    if (!pick) {
      for (const { name: own, ...part } of parts)
        await download(own, part.end - part.start, (port) => engine('serveImage', id, 'raw', given(port), part));
      return;
    }
    const folder = await pick({ mode: 'readwrite' }).catch(() => undefined);
    if (!folder) return;
    for (const { name: own } of parts) await assertNotThere(folder, own);
    setSaved(0);
    const made: string[] = [];
    try {
      for (const [i, { name: own, ...part }] of parts.entries()) {
        // Others may have been at work there meanwhile.
        await assertNotThere(folder, own);
        made.push(own);
        const progress = listener((done: number, total: number) =>
          went((i + (total > 0 ? done / total : 1)) / parts.length),
        );
        await engine('exportTo', id, await folder.getFileHandle(own, { create: true }), progress, part);
      }
    } catch (error) {
      // Some parts are no disk.
      for (const own of made) await folder.removeEntry(own).catch(() => undefined);
      setSaved(undefined);
      throw error;
    }
    setSaved('same');
  };
  const say = (saving: Promise<void>): void => void saving.catch((error: Error) => setFault(error.message));
  const save = (form: ImageForm): void => {
    setFault(undefined);
    say(form === 'raw' ? saveRaw() : saveAs(form));
  };
  const saveInParts = (partSize: number): void => {
    setFault(undefined);
    say(inParts(partSize));
  };
  return { save, saveInParts, saved, fault };
}

/** What is in a folder already is left as it is. */
async function assertNotThere(folder: FileSystemDirectoryHandle, name: string): Promise<void> {
  const there = await folder.getFileHandle(name).then(
    () => true,
    (error: Error) => error.name !== 'NotFoundError',
  );
  if (there) throw new CoreError('file.exists', { name });
}
