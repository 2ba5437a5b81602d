'use client';

import { engine, type FolderItem } from '@/engine';
import { Drawer, Segmented, Spin } from 'antd';
import { useEffect, useState } from 'react';
import { useSizes } from '../kit';
import { bytesRows, pictureType, textOf } from './preview-kind';
import { plain } from './plain';
import styles from './contents.module.css';

interface Props {
  readonly diskId: string;
  readonly number: number;
  readonly item: FolderItem | undefined;
  readonly onClose: () => void;
  readonly onFault: (message: string) => void;
}

const BEGINNING = 64 * 1024;
/** A picture is shown whole or not at all. */
const MOST_PICTURE = 24 * 1024 * 1024;

interface Shown {
  readonly item: FolderItem;
  readonly bytes: Uint8Array;
  readonly picture: string | undefined;
}

type Way = 'picture' | 'text' | 'bytes';
const WAY_WORDS: Readonly<Record<Way, string>> = { picture: 'Picture', text: 'Text', bytes: 'Bytes' };

/** The beginning of a file as text or bytes, and a picture as one. */
export function Preview({ diskId, number, item, onClose, onFault }: Props) {
  const [shown, setShown] = useState<Shown>();
  useEffect(() => {
    if (!item) return;
    let live = true;
    let picture: string | undefined;
    const load = async (): Promise<void> => {
      const read = (length: number): Promise<Uint8Array> => engine('preview', diskId, number, plain(item), length);
      const bytes = await read(BEGINNING);
      const type = pictureType(bytes);
      const whole = type && item.size <= MOST_PICTURE ? await read(item.size) : undefined;
      if (!live) return;
      if (whole) picture = URL.createObjectURL(new Blob([whole as Uint8Array<ArrayBuffer>], { type: type! }));
      setShown({ item, bytes, picture });
    };
    load().catch((error: Error) => {
      onFault(error.message);
      onClose();
    });
    return () => {
      live = false;
      if (picture) URL.revokeObjectURL(picture);
    };
    // Asked once for each file that is opened.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [diskId, number, item]);
  return (
    <Drawer open={item !== undefined} onClose={onClose} title={item?.path} size="large" destroyOnHidden>
      {item && shown?.item === item ? <Ways key={item.path} shown={shown} /> : <Spin className={styles.spin} />}
    </Drawer>
  );
}

function Ways({ shown: { item, bytes, picture } }: { readonly shown: Shown }) {
  const size = useSizes();
  const text = textOf(bytes);
  const ways: Way[] = [
    ...(picture ? ['picture' as const] : []),
    ...(text === undefined ? [] : ['text' as const]),
    'bytes',
  ];
  const [way, setWay] = useState(ways[0]!);
  const part = item.size > bytes.length && way !== 'picture' ? `, its first ${size(bytes.length)}` : '';
  return (
    <>
      <div className={styles.bar}>
        <span className={styles.found}>{`${size(item.size)}${part}`}</span>
        <Segmented<Way>
          size="small"
          value={way}
          onChange={setWay}
          options={ways.map((value) => ({ value, label: WAY_WORDS[value] }))}
        />
      </div>
      {way === 'picture' && picture ? (
        // eslint-disable-next-line @next/next/no-img-element -- bytes in hand, nothing to optimise
        <img src={picture} alt={item.name} className={styles.pictureOf} />
      ) : (
        <pre className={styles.preview}>
          {bytes.length === 0 ? '(empty)' : way === 'text' ? text : bytesRows(bytes)}
        </pre>
      )}
    </>
  );
}
