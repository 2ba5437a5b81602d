'use client';

import { lostWith, removeDisk, renameDisk } from '@/state';
import { Input, Modal } from 'antd';
import { useState } from 'react';
import { Rewinds } from '../rewinds';
import styles from './bench.module.css';

export type Asked = 'rename' | 'rewinds' | 'remove';

interface Props {
  readonly id: string;
  readonly name: string;
  readonly asked: Asked | undefined;
  readonly onClose: () => void;
}

/** What a disk's menu asks before it does something. */
export function PlateDialogs({ asked, ...disk }: Props) {
  return (
    <>
      <Renaming key={`${disk.name} ${asked}`} {...disk} open={asked === 'rename'} />
      <Rewinds {...disk} open={asked === 'rewinds'} />
      <Removing {...disk} open={asked === 'remove'} />
    </>
  );
}

type AskingProps = Omit<Props, 'asked'> & { readonly open: boolean };

function Renaming({ id, name, open, onClose }: AskingProps) {
  const [text, setText] = useState(name);
  const rename = (): void => {
    void renameDisk(id, text);
    onClose();
  };
  return (
    <Modal open={open} title={`Rename ${name}`} okText="Rename" onOk={rename} onCancel={onClose} destroyOnHidden>
      <Input
        autoFocus
        aria-label="Name of the disk"
        maxLength={60}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onPressEnter={rename}
      />
    </Modal>
  );
}

function Removing({ id, name, open, onClose }: AskingProps) {
  const remove = (): void => {
    void removeDisk(id);
    onClose();
  };
  return (
    <Modal
      open={open}
      title={`Take ${name} off the bench?`}
      okText="Take it off the bench"
      okButtonProps={{ danger: true }}
      onOk={remove}
      onCancel={onClose}
      destroyOnHidden
    >
      {open ? (
        <ul className={styles.lost}>
          {lostWith(id).map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      ) : null}
    </Modal>
  );
}
