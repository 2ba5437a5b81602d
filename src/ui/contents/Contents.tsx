'use client';

import type { FileEntry } from '@/core/fs';
import type { SurveyedVolume } from '@/core/inspect';
import { engine, type FolderItem } from '@/engine';
import { Alert, Breadcrumb, Button, Drawer, Table, type TableColumnsType } from 'antd';
import { useEffect, useState } from 'react';
import { downloadStream, useSizes } from '../kit';
import { previewWords } from './preview';
import styles from './contents.module.css';

interface Props {
  readonly diskId: string;
  readonly volume: SurveyedVolume;
}

const PREVIEW_BYTES = 4096;

/** A volume's files: browse, look into one, save one out. */
export function Contents({ diskId, volume }: Props) {
  const size = useSizes();
  const [path, setPath] = useState('');
  const [items, setItems] = useState<readonly FolderItem[]>();
  const [fault, setFault] = useState<string>();
  const [preview, setPreview] = useState<{ entry: FileEntry; words: string }>();
  const { number } = volume;

  useEffect(() => {
    let live = true;
    setItems(undefined);
    engine('folder', diskId, number, path).then(
      (found) => live && setItems(found),
      (error: Error) => live && setFault(error.message),
    );
    return () => void (live = false);
  }, [diskId, number, path]);

  const act = (work: Promise<unknown>): void => void work.catch((error: Error) => setFault(error.message));
  const show = async (entry: FolderItem): Promise<void> => {
    const bytes = await engine('preview', diskId, number, plain(entry), PREVIEW_BYTES);
    setPreview({ entry, words: previewWords(bytes) });
  };
  const save = async (entry: FolderItem): Promise<void> => downloadStream(entry.name, entry.size, await engine('fileStream', diskId, number, plain(entry)));

  const columns: TableColumnsType<FolderItem> = [
    {
      title: 'Name',
      dataIndex: 'name',
      render: (_, item) =>
        item.kind === 'folder' ? (
          <Button type="link" size="small" className={styles.name} onClick={() => setPath(item.path)}>
            {`${item.name}/`}
          </Button>
        ) : (
          <span className={styles.name}>{item.name}</span>
        ),
    },
    { title: 'Size', align: 'right', width: 110, render: (_, item) => size(item.totalBytes) },
    { title: 'Files', align: 'right', width: 80, render: (_, item) => (item.kind === 'folder' ? item.totalFiles : '') },
    { title: 'Modified', width: 170, render: (_, item) => item.times.modified?.replace('T', ' ') ?? '' },
    {
      title: 'Actions',
      width: 140,
      render: (_, item) =>
        item.kind === 'file' ? (
          <>
            <Button type="link" size="small" onClick={() => act(show(item))} aria-label={`Look into ${item.name}`}>
              Look
            </Button>
            <Button type="link" size="small" onClick={() => act(save(item))} aria-label={`Save ${item.name}`}>
              Save
            </Button>
          </>
        ) : null,
    },
  ];
  const parts = path === '' ? [] : path.split('/');
  return (
    <section aria-label="Contents">
      <Breadcrumb
        className={styles.crumbs}
        items={[
          { title: crumb(volume.info?.label || `Volume ${number}`, () => setPath('')) },
          ...parts.map((part, i) => ({ title: crumb(part, () => setPath(parts.slice(0, i + 1).join('/'))) })),
        ]}
      />
      {fault ? <Alert type="error" title={fault} closable={{ onClose: () => setFault(undefined) }} showIcon /> : null}
      <Table<FolderItem>
        size="small"
        rowKey="id"
        columns={columns}
        dataSource={items ?? []}
        loading={!items}
        pagination={false}
        virtual
        scroll={{ y: 330, x: 700 }}
        locale={{ emptyText: items ? 'This folder is empty.' : ' ' }}
      />
      <Drawer open={preview !== undefined} onClose={() => setPreview(undefined)} title={preview?.entry.path} size="large">
        <pre className={styles.preview}>{preview?.words}</pre>
      </Drawer>
    </section>
  );
}

/** The entry without what was summed up for the list. */
function plain({ path, kind, size, times, attributes, id }: FolderItem): FileEntry {
  return { path, kind, size, times, attributes, id };
}

function crumb(text: string, go: () => void) {
  return (
    <Button type="link" size="small" className={styles.crumb} onClick={go}>
      {text}
    </Button>
  );
}
