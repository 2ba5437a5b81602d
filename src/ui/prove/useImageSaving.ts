'use client';

import { engine, given, listener } from '@/engine';
import type { Current } from '@/state';
import { useState } from 'react';
import { download, savePicker } from '../kit';

/** Forms that an image is saved in beside a raw one. */
export const FORMS = ['gz', 'qcow2', 'zip', 'vhd', 'vhdx'] as const;
type ImageForm = 'raw' | (typeof FORMS)[number];

/** Saves the disk as an image: how far that is, where it can be told, up to `same`, and what stood in its way. */
export function useImageSaving({ id, disk }: Current) {
  const [saved, setSaved] = useState<number | 'same'>();
  const [fault, setFault] = useState<string>();
  const name = `${disk.stored.name.replace(/[^\p{L}\p{N} _-]/gu, '')} divided.img`;
  const saveRaw = async (): Promise<void> => {
    const pick = savePicker();
    if (!pick) return download(name, disk.survey!.size, (port) => engine('serveImage', id, 'raw', given(port)));
    const handle = await pick({ suggestedName: name }).catch(() => undefined);
    if (!handle) return;
    setSaved(0);
    const progress = listener((done: number, total: number) => setSaved(done / total));
    await engine('exportTo', id, handle, progress);
    setSaved('same');
  };
  const saveAs = (form: Exclude<ImageForm, 'raw'>): Promise<void> => {
    const own = form === 'gz' ? `${name}.gz` : name.replace(/img$/, form);
    return download(own, 0, (port) => engine('serveImage', id, form, given(port)));
  };
  const save = (form: ImageForm): void => {
    setFault(undefined);
    void (form === 'raw' ? saveRaw() : saveAs(form)).catch((error: Error) => setFault(error.message));
  };
  return { save, saved, fault };
}
