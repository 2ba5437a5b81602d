'use client';

import { guardDisk, lostWith, removeDisk, renameDisk, useBench, type BenchDisk } from '@/state';
import {
  DeleteOutlined,
  EditOutlined,
  LockOutlined,
  MoreOutlined,
  UndoOutlined,
  UnlockOutlined,
} from '@ant-design/icons';
import { Button, Dropdown, Input, Modal } from 'antd';
import { useState } from 'react';
import { Rewinds } from '../rewinds';
import styles from './bench.module.css';

/** What can be done with a disk as it stands on the bench. */
export function PlateMenu({ disk: { stored } }: { readonly disk: BenchDisk }) {
  const { id, name, guarded = false } = stored;
  const readOnly = useBench((s) => s.readOnly);
  const [asking, setAsking] = useState<'rename' | 'rewinds' | 'remove'>();
  const close = (): void => setAsking(undefined);
  return (
    <span className={styles.more}>
      <Dropdown
        trigger={['click']}
        disabled={readOnly}
        menu={{
          items: [
            { key: 'rename', icon: <EditOutlined aria-hidden />, label: 'Rename…' },
            {
              key: 'guard',
              icon: guarded ? <UnlockOutlined aria-hidden /> : <LockOutlined aria-hidden />,
              label: guarded ? 'Lift the guard' : 'Guard against every change',
            },
            { key: 'rewinds', icon: <UndoOutlined aria-hidden />, label: 'Runs that can be taken back…' },
            { type: 'divider' },
            {
              key: 'remove',
              icon: <DeleteOutlined aria-hidden />,
              label: 'Take off the bench…',
              disabled: guarded,
              danger: true,
            },
          ],
          onClick: ({ key }) =>
            key === 'guard' ? void guardDisk(id, !guarded) : setAsking(key as 'rename' | 'rewinds' | 'remove'),
        }}
      >
        <Button
          type="text"
          size="small"
          icon={<MoreOutlined aria-hidden />}
          disabled={readOnly}
          aria-label={`More of ${name}`}
        />
      </Dropdown>
      <Renaming key={`${name} ${asking}`} id={id} name={name} open={asking === 'rename'} onClose={close} />
      <Rewinds id={id} open={asking === 'rewinds'} onClose={close} />
      <Removing id={id} name={name} open={asking === 'remove'} onClose={close} />
    </span>
  );
}

interface AskingProps {
  readonly id: string;
  readonly name: string;
  readonly open: boolean;
  readonly onClose: () => void;
}

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
