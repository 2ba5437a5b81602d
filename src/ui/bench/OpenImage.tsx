'use client';

import { openFile, useBench } from '@/state';
import styles from './bench.module.css';

type OpenPicker = () => Promise<FileSystemFileHandle[]>;
type Picked = (file: File, handle?: FileSystemFileHandle) => unknown;

/** Lets a person pick a file, with a handle that outlives the page where the browser has them. */
export async function pickFile(picked: Picked): Promise<void> {
  const picker = (window as unknown as { showOpenFilePicker?: OpenPicker }).showOpenFilePicker;
  if (picker) {
    const handles = await picker.call(window).catch(() => []);
    if (handles[0]) await picked(await handles[0].getFile(), handles[0]);
    return;
  }
  const input = document.createElement('input');
  input.type = 'file';
  input.onchange = () => input.files?.[0] && void picked(input.files[0]);
  input.click();
}

/** The place where a disk image is opened. Files may also be dropped anywhere. */
export function OpenImage() {
  const readOnly = useBench((s) => s.readOnly);
  return (
    <button type="button" className={styles.openButton} disabled={readOnly} onClick={() => void pickFile(openFile)}>
      <strong>Open a disk image</strong>
      <span>or drop one anywhere</span>
    </button>
  );
}
