'use client';

import type { PickedFolder } from '@/core/goal';
import { spaced } from '@/core/size';
import { engine, type FolderItem } from '@/engine';
import { Alert, Breadcrumb, Button, Table } from 'antd';
import { useEffect, useState } from 'react';
import { useSizes } from '../kit';
import styles from './move.module.css';

interface Props {
  readonly diskId: string;
  readonly number: number;
  readonly picked: readonly PickedFolder[];
  readonly onPick: (folders: readonly PickedFolder[]) => void;
}

/** Folders of a volume, largest first, each with what is in it; any number can be picked, and each gone into. */
export function FolderPicker({ diskId, number, picked, onPick }: Props) {
  const size = useSizes();
  const [path, setPath] = useState('');
  const [loaded, setLoaded] = useState<{ path: string; items: readonly FolderItem[] }>();
  const [fault, setFault] = useState<string>();
  useEffect(() => {
    let live = true;
    engine('folder', diskId, number, path).then(
      (items) => live && setLoaded({ path, items: items.filter((i) => i.kind === 'folder') }),
      (error: Error) => live && setFault(error.message),
    );
    return () => void (live = false);
  }, [diskId, number, path]);
  const items = loaded?.path === path ? loaded.items : undefined;
  const parts = path === '' ? [] : path.split('/');
  const toggle = (item: FolderItem, on: boolean): void => {
    // A folder that is picked has everything below it.
    const others = picked.filter((p) => p.path !== item.path && !p.path.startsWith(`${item.path}/`));
    onPick(on ? [...others, { path: item.path, bytes: item.totalBytes, files: item.totalFiles }] : others);
  };
  return (
    <section aria-label="Folders">
      <Breadcrumb
        items={[
          { title: crumb('All', () => setPath('')) },
          ...parts.map((part, i) => ({ title: crumb(part, () => setPath(parts.slice(0, i + 1).join('/'))) })),
        ]}
      />
      {fault ? <Alert type="error" title={fault} showIcon /> : null}
      <Table<FolderItem>
        size="small"
        rowKey="path"
        loading={!items}
        dataSource={[...(items ?? [])]}
        pagination={false}
        scroll={{ y: 240 }}
        locale={{ emptyText: items ? 'There is no folder here.' : ' ' }}
        rowSelection={{
          selectedRowKeys: picked.map((p) => p.path),
          onSelect: toggle,
          hideSelectAll: true,
          getCheckboxProps: (item) => ({ 'aria-label': `Pick ${item.name}` }),
        }}
        columns={[
          {
            title: 'Folder',
            render: (_, item) => (
              <Button type="link" size="small" className={styles.name} onClick={() => setPath(item.path)}>
                {`${item.name}/`}
              </Button>
            ),
          },
          { title: 'Size', align: 'right', width: 120, render: (_, item) => size(item.totalBytes) },
          { title: 'Files', align: 'right', width: 100, render: (_, item) => spaced(item.totalFiles) },
        ]}
      />
    </section>
  );
}

const crumb = (words: string, go: () => void) => (
  <Button type="link" size="small" onClick={go}>
    {words}
  </Button>
);
