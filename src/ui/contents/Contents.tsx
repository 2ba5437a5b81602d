'use client';

import type { SurveyedVolume } from '@/core/inspect';
import type { Role } from '@/core/layout';
import { engine, given, type FolderItem, type Found } from '@/engine';
import { DownloadOutlined, PieChartOutlined, SearchOutlined, UnorderedListOutlined } from '@ant-design/icons';
import { Alert, Breadcrumb, Button, Input, Segmented, Tooltip } from 'antd';
import { useDeferredValue, useEffect, useState } from 'react';
import { download } from '../kit';
import { FileTable } from './FileTable';
import { Preview } from './Preview';
import { plain } from './plain';
import { Room } from './Room';
import styles from './contents.module.css';

interface Props {
  readonly diskId: string;
  readonly volume: SurveyedVolume;
  readonly role: Role;
}

type View = 'files' | 'room';

/** A volume's files: browse, find by name, see where the room goes, look into one, save one out, or many. */
export function Contents({ diskId, volume, role }: Props) {
  const [path, setPath] = useState('');
  const [text, setText] = useState('');
  const [view, setView] = useState<View>('files');
  const [fault, setFault] = useState<string>();
  const [preview, setPreview] = useState<FolderItem>();
  const { number } = volume;
  const wanted = useDeferredValue(text.trim());
  const { items, total } = useItems({ diskId, number, path, text: wanted }, setFault);
  const go = (to: string): void => {
    setPath(to);
    setText('');
  };
  const label = volume.info?.label || `Volume ${number}`;
  const say = (saving: Promise<void>): void => void saving.catch((error: Error) => setFault(error.message));
  const saveFolder = (name: string, folder: string): void =>
    say(download(`${name}.zip`, 0, (port) => engine('serveFolder', diskId, number, folder, given(port))));
  const save = (item: FolderItem): void =>
    item.kind === 'folder'
      ? saveFolder(item.name, item.path)
      : say(download(item.name, item.size, (port) => engine('serveFile', diskId, number, plain(item), given(port))));
  const parts = path === '' ? [] : path.split('/');
  return (
    <section aria-label="Contents">
      <div className={styles.bar}>
        <Breadcrumb
          className={styles.crumbs}
          items={[
            { title: crumb(label, () => go('')) },
            ...parts.map((part, i) => ({ title: crumb(part, () => go(parts.slice(0, i + 1).join('/'))) })),
          ]}
        />
        <span className={styles.search}>
          <Input
            allowClear
            size="small"
            prefix={<SearchOutlined aria-hidden />}
            aria-label="Find by name"
            placeholder={path === '' ? 'Find by name' : `Find by name in ${parts.at(-1)}`}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </span>
        <Tooltip title="Everything in here, as a zip">
          <Button
            size="small"
            icon={<DownloadOutlined aria-hidden />}
            // What was found is no folder.
            disabled={wanted !== '' || items?.length === 0}
            onClick={() => saveFolder(parts.at(-1) ?? label, path)}
          >
            Save all
          </Button>
        </Tooltip>
        <Segmented<View>
          size="small"
          value={view}
          onChange={setView}
          options={[
            { value: 'files', label: 'Files', icon: <UnorderedListOutlined aria-hidden /> },
            { value: 'room', label: 'Where the room goes', icon: <PieChartOutlined aria-hidden /> },
          ]}
        />
      </div>
      {fault ? <Alert type="error" title={fault} closable={{ onClose: () => setFault(undefined) }} showIcon /> : null}
      {total !== undefined ? (
        <p
          className={styles.found}
          role="status"
        >{`${total} found${total > (items?.length ?? 0) ? `, the first ${items?.length} shown` : ''}`}</p>
      ) : null}
      {view === 'room' && wanted === '' ? (
        <Room
          diskId={diskId}
          number={number}
          path={path}
          role={role}
          onGo={go}
          onPreview={setPreview}
          onFault={setFault}
        />
      ) : (
        <FileTable
          items={items}
          whole={total !== undefined}
          onGo={go}
          onPreview={setPreview}
          onSave={save}
          empty={wanted === '' ? 'This folder is empty.' : 'Nothing here is called that.'}
        />
      )}
      <Preview
        diskId={diskId}
        number={number}
        item={preview}
        onClose={() => setPreview(undefined)}
        onFault={setFault}
      />
    </section>
  );
}

interface Asked {
  readonly diskId: string;
  readonly number: number;
  readonly path: string;
  readonly text: string;
}

/** A folder's content, or what was found below it; nothing while the engine looks. */
function useItems(
  { diskId, number, path, text }: Asked,
  onFault: (message: string) => void,
): { items: readonly FolderItem[] | undefined; total: number | undefined } {
  const key = JSON.stringify([diskId, number, path, text]);
  const [loaded, setLoaded] = useState<{ key: string; items: readonly FolderItem[]; total: number | undefined }>();
  useEffect(() => {
    let live = true;
    const asked: Promise<Found | FolderItem[]> =
      text === '' ? engine('folder', diskId, number, path) : engine('findFiles', diskId, number, path, text);
    asked.then(
      (found) => live && setLoaded({ key, ...('total' in found ? found : { items: found, total: undefined }) }),
      (error: Error) => live && onFault(error.message),
    );
    return () => void (live = false);
  }, [key, diskId, number, path, text, onFault]);
  // While somebody types, what was found last stays.
  const shown = loaded && (loaded.key === key || (text !== '' && loaded.total !== undefined)) ? loaded : undefined;
  return { items: shown?.items, total: shown?.total };
}

function crumb(text: string, go: () => void) {
  return (
    <Button type="link" size="small" className={styles.crumb} onClick={go}>
      {text}
    </Button>
  );
}
