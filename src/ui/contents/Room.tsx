'use client';

import type { Role } from '@/core/layout';
import { engine, type FolderItem, type Notable, type RoomItem } from '@/engine';
import { Button, Segmented, Spin } from 'antd';
import dynamic from 'next/dynamic';
import { useEffect, useState } from 'react';
import { fetchWhenIdle, useSizes } from '../kit';
import styles from './contents.module.css';

const loadChart = () => import('./RoomChart').then((m) => m.RoomChart);
const RoomChart = dynamic(loadChart, { ssr: false });
fetchWhenIdle(loadChart);

interface Props {
  readonly diskId: string;
  readonly number: number;
  readonly path: string;
  readonly role: Role;
  readonly onGo: (path: string) => void;
  readonly onPreview: (item: FolderItem) => void;
  readonly onFault: (message: string) => void;
}

interface Known {
  readonly key: string;
  readonly room: readonly RoomItem[];
  readonly notable: Notable;
}

/** Where the room of a folder goes: a picture to be gone into, and the files to be looked at first. */
export function Room({ diskId, number, path, role, onGo, onPreview, onFault }: Props) {
  const key = `${diskId} ${number} ${path}`;
  const [known, setKnown] = useState<Known>();
  const [of, setOf] = useState<keyof Notable>('biggest');
  useEffect(() => {
    let live = true;
    Promise.all([engine('room', diskId, number, path), engine('notable', diskId, number, path)]).then(
      ([room, notable]) => live && setKnown({ key, room, notable }),
      (error: Error) => live && onFault(error.message),
    );
    return () => void (live = false);
  }, [key, diskId, number, path, onFault]);
  if (known?.key !== key) return <Spin className={styles.spin} description="Adding it up" />;
  return (
    <div className={styles.room}>
      {known.room.length > 0 ? (
        <RoomChart role={role} items={known.room} onGo={onGo} />
      ) : (
        <p className={styles.found}>Nothing here takes any room.</p>
      )}
      <div>
        <Segmented<keyof Notable>
          size="small"
          value={of}
          onChange={setOf}
          options={[
            { value: 'biggest', label: 'Biggest files' },
            { value: 'oldest', label: 'Unchanged for longest' },
          ]}
        />
        <NotableList key={of} items={known.notable[of]} of={of} onPreview={onPreview} />
      </div>
    </div>
  );
}

interface ListProps {
  readonly items: readonly FolderItem[];
  readonly of: keyof Notable;
  readonly onPreview: (item: FolderItem) => void;
}

function NotableList({ items, of, onPreview }: ListProps) {
  const size = useSizes();
  return (
    <ol className={styles.notable} tabIndex={0}>
      {items.map((item) => (
        <li key={item.path}>
          <Button type="link" size="small" title={item.path} onClick={() => onPreview(item)}>
            {item.name}
          </Button>
          <span>{of === 'biggest' ? size(item.size) : (item.times.modified?.slice(0, 10) ?? '')}</span>
        </li>
      ))}
    </ol>
  );
}
