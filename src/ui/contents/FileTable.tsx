'use client';

import { spaced } from '@/core/size';
import type { FolderItem } from '@/engine';
import { DownloadOutlined, EyeOutlined, FolderOutlined } from '@ant-design/icons';
import { Button, Table, Tooltip, type TableColumnsType } from 'antd';
import { useSizes } from '../kit';
import styles from './contents.module.css';

interface Props {
  /** Nothing while they are looked for. */
  readonly items: readonly FolderItem[] | undefined;
  /** Whole paths are shown, of what is not in one folder. */
  readonly whole: boolean;
  readonly empty: string;
  readonly onGo: (path: string) => void;
  readonly onPreview: (item: FolderItem) => void;
  readonly onSave: (item: FolderItem) => void;
}

/** Files and folders as rows. */
export function FileTable({ items, whole, empty, onGo, onPreview, onSave }: Props) {
  const size = useSizes();
  const columns: TableColumnsType<FolderItem> = [
    {
      title: 'Name',
      ellipsis: true,
      dataIndex: 'name',
      render: (_, item) =>
        item.kind === 'folder' ? (
          <Button
            type="link"
            size="small"
            icon={<FolderOutlined aria-hidden />}
            className={styles.name}
            onClick={() => onGo(item.path)}
          >
            {`${whole ? item.path : item.name}/`}
          </Button>
        ) : (
          <span className={styles.name}>{whole ? item.path : item.name}</span>
        ),
    },
    { title: 'Size', align: 'right', width: 110, render: (_, item) => size(item.totalBytes) },
    {
      title: 'Files',
      align: 'right',
      width: 80,
      render: (_, item) => (item.kind === 'folder' ? spaced(item.totalFiles) : ''),
    },
    {
      title: 'Modified',
      width: 160,
      render: (_, item) => (
        <span className={styles.date}>{item.times.modified?.replace('T', ' ').slice(0, 16) ?? ''}</span>
      ),
    },
    {
      title: 'Actions',
      width: 100,
      align: 'right',
      render: (_, item) =>
        item.kind === 'file' || item.kind === 'folder' ? (
          <>
            {item.kind === 'file' ? (
              <Tooltip title="Look into it">
                <Button
                  type="text"
                  size="small"
                  icon={<EyeOutlined aria-hidden />}
                  onClick={() => onPreview(item)}
                  aria-label={`Look into ${item.name}`}
                />
              </Tooltip>
            ) : null}
            <Tooltip title={item.kind === 'file' ? 'Save it out' : 'Save it out with all that is in it, as a zip'}>
              <Button
                type="text"
                size="small"
                icon={<DownloadOutlined aria-hidden />}
                onClick={() => onSave(item)}
                aria-label={`Save ${item.name}`}
              />
            </Tooltip>
          </>
        ) : null,
    },
  ];
  return (
    <Table<FolderItem>
      size="small"
      rowKey="path"
      columns={columns}
      dataSource={items ?? []}
      loading={!items}
      pagination={false}
      virtual
      scroll={{ y: 330, x: 700 }}
      locale={{ emptyText: items ? empty : ' ' }}
    />
  );
}
