'use client';

import { isCoreError } from '@/core/errors';
import { cutIntoParts } from '@/core/image';
import { MIB } from '@/core/size';
import { Alert, Modal } from 'antd';
import { useState } from 'react';
import { SizeInput, useSizes } from '../kit';
import styles from './prove.module.css';

/** Each fits on a FAT32 volume, where no file has 4 GiB. */
const USUAL = 4000 * MIB;

interface Props {
  readonly disk: { readonly size: number; readonly sectorSize: number };
  readonly open: boolean;
  readonly onSave: (length: number) => void;
  readonly onClose: () => void;
}

/** How long the parts of an image shall be, and what that comes to. */
export function PartsDialog({ disk, open, onSave, onClose }: Props) {
  const [length, setLength] = useState(USUAL);
  const [fault, setFault] = useState<string>();
  const size = useSizes();
  const { words, refusal } = told(disk, length, size);
  return (
    <Modal
      open={open}
      title="Export the image in parts"
      okText="Export"
      okButtonProps={{ disabled: refusal || fault !== undefined }}
      onOk={() => {
        onSave(length);
        onClose();
      }}
      onCancel={onClose}
      destroyOnHidden
    >
      <label htmlFor="part-size">Length of a part</label>
      <SizeInput
        id="part-size"
        bytes={length}
        context={{ whole: disk.size }}
        focus={open}
        onSize={setLength}
        onFault={setFault}
      />
      {fault ? <Alert type="error" showIcon title={fault} /> : null}
      <p className={styles.sub} role="status">
        {words}
      </p>
      <p className={styles.sub}>
        They end in .001, .002 and on, and are one disk again when they are opened together. The usual length fits on
        FAT32.
      </p>
    </Modal>
  );
}

function told(
  disk: Props['disk'],
  length: number,
  sizeWords: (bytes: number) => string,
): { readonly words: string; readonly refusal: boolean } {
  try {
    const parts = cutIntoParts(disk, length);
    const [last] = parts.slice(-1);
    const words =
      parts.length === 1
        ? 'All of it goes into one part.'
        : `${parts.length} parts, the last of them with ${sizeWords(last!.end - last!.start)}.`;
    return { words, refusal: false };
  } catch (error) {
    if (!isCoreError(error)) throw error;
    return { words: error.message, refusal: true };
  }
}
