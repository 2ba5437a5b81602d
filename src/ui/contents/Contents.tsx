'use client';

import type { FileEntry } from '@/core/fs';
import type { SurveyedVolume } from '@/core/inspect';
import { engine, given, type FolderItem } from '@/engine';
import { Alert, Breadcrumb, Button, Drawer, Table, type TableColumnsType } from 'antd';
import { useEffect, useState } from 'react';
import { download, useSizes } from '../kit';
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
  const [loaded, setLoaded] = useState<{ path: string; items: readonly FolderItem[] }>();
  const [fault, setFault] = useState<string>();
  const [preview, setPreview] = useState<{ entry: FileEntry; words: string }>();
  const { number } = volume;

  useEffect(() => {
    let live = true;
    engine('folder', diskId, number, path).then(
      (items) => live && setLoaded({ path, items }),
      (error: Error) => live && setFault(error.message),
    );
    return () => void (live = false);
  }, [diskId, number, path]);

  const items = loaded?.path === path ? loaded.items : undefined;
  const act = (work: Promise<unknown>): void => void work.catch((error: Error) => setFault(error.message));
  const show = async (entry: FolderItem): Promise<void> => {
    const bytes = await engine('preview', diskId, number, plain(entry), PREVIEW_BYTES);
    setPreview({ entry, words: previewWords(bytes) });
  };
  const save = (entry: FolderItem): Promise<void> =>
    download(entry.name, entry.size, (port) => engine('serveFile', diskId, number, plain(entry), given(port)));

  const columns: TableColumnsType<FolderItem> = [
    {
      title: 'Name',
      ellipsis: true,
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
    {
      title: 'Modified',
      width: 180,
      render: (_, item) => (
        <span className={styles.date}>{item.times.modified?.replace('T', ' ').slice(0, 16) ?? ''}</span>
      ),
    },
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
      <Drawer
        open={preview !== undefined}
        onClose={() => setPreview(undefined)}
        title={preview?.entry.path}
        size="large"
      >
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
