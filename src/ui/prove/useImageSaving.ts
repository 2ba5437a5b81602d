'use client';

import { cutIntoParts, partName } from '@/core/image';
import { engine, given, listener } from '@/engine';
import type { Current } from '@/state';
import { useState } from 'react';
import { download, folderPicker, savePicker } from '../kit';
import { saveParts } from './save-parts';

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
    setSaved(0);
    await saveParts(id, folder, parts, went);
    setSaved('same');
  };
  const say = (saving: Promise<void>): void =>
    void saving.catch((error: Error) => {
      setSaved(undefined);
      setFault(error.message);
    });
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
