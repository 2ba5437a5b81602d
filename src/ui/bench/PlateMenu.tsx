'use client';

import { guardDisk, useBench, type BenchDisk } from '@/state';
import {
  DeleteOutlined,
  EditOutlined,
  LockOutlined,
  MoreOutlined,
  UndoOutlined,
  UnlockOutlined,
} from '@ant-design/icons';
import { Button, Dropdown } from 'antd';
import { useState } from 'react';
import { later, useOnce } from '../kit';
import type { Asked } from './PlateDialogs';
import styles from './bench.module.css';

const PlateDialogs = later(() => import('./PlateDialogs').then((m) => m.PlateDialogs));

/** What can be done with a disk as it stands on the bench. */
export function PlateMenu({ disk: { stored } }: { readonly disk: BenchDisk }) {
  const { id, name, guarded = false } = stored;
  const readOnly = useBench((s) => s.readOnly);
  const [asking, setAsking] = useState<Asked>();
  const askedOnce = useOnce(asking !== undefined);
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
          onClick: ({ key }) => (key === 'guard' ? void guardDisk(id, !guarded) : setAsking(key as Asked)),
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
      {askedOnce ? <PlateDialogs id={id} name={name} asked={asking} onClose={() => setAsking(undefined)} /> : null}
    </span>
  );
}
