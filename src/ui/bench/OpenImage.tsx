'use client';

import { openFiles, useBench, type PickedFile } from '@/state';
import styles from './bench.module.css';

type OpenPicker = (how: { multiple: boolean }) => Promise<FileSystemFileHandle[]>;

/** Lets a person pick files, with handles that outlive the page where the browser has them; nothing for none. */
export async function pickFiles(act: (picked: PickedFile[]) => unknown): Promise<void> {
  const picker = (window as unknown as { showOpenFilePicker?: OpenPicker }).showOpenFilePicker;
  if (picker) {
    const handles = await picker.call(window, { multiple: true }).catch(() => []);
    const files = await Promise.all(handles.map(async (handle) => ({ file: await handle.getFile(), handle })));
    if (files.length > 0) await act(files);
    return;
  }
  const input = document.createElement('input');
  input.type = 'file';
  input.multiple = true;
  input.onchange = () => {
    const files = [...(input.files ?? [])].map((file) => ({ file }));
    if (files.length > 0) void act(files);
  };
  input.click();
}

/** The place where a disk image is opened. Files may also be dropped anywhere. */
export function OpenImage() {
  const readOnly = useBench((s) => s.readOnly);
  return (
    <button type="button" className={styles.openButton} disabled={readOnly} onClick={() => void pickFiles(openFiles)}>
      <strong>Open a disk image</strong>
      <span>or drop one anywhere</span>
    </button>
  );
}
