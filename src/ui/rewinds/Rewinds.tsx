'use client';

import { formatSize, spaced } from '@/core/size';
import { dropWayBack, rewind, useBench, useWaysBack, whenWords, type WayBack } from '@/state';
import { Alert, Button, Modal, Popconfirm } from 'antd';
import styles from './rewinds.module.css';

interface Props {
  readonly id: string;
  readonly open: boolean;
  readonly onClose: () => void;
}

/** The runs on a disk that can be taken back, the newest first, with what keeping each takes. */
export function Rewinds(props: Props) {
  const name = useBench((s) => s.disks.find((d) => d.stored.id === props.id)?.stored.name ?? 'this disk');
  return (
    <Modal
      open={props.open}
      title={`Runs on ${name} that can be taken back`}
      footer={null}
      onCancel={props.onClose}
      width={620}
      destroyOnHidden
    >
      <RunList {...props} />
    </Modal>
  );
}

function RunList({ id, onClose }: Props) {
  const { ways, fault, again } = useWaysBack(id);
  const readOnly = useBench((s) => s.readOnly);
  const disks = useBench((s) => s.disks);
  const nameOf = (disk: string): string => disks.find((d) => d.stored.id === disk)?.stored.name ?? 'another disk';
  if (fault) return <Alert type="error" showIcon title={fault} />;
  if (!ways) return <p className={styles.sub}>Looking…</p>;
  if (ways.length === 0)
    return <p className={styles.sub}>There is none: nothing was run on it here, or what that needs was dropped.</p>;
  const takeBack = (): void => {
    onClose();
    void rewind(id);
  };
  return (
    <>
      <p className={styles.sub}>
        The newest goes first: the disk is then as it was before it, byte for byte. Dropping keeps what a run came to,
        and frees what taking it back needs.
      </p>
      <ol className={styles.runs} aria-label="Runs, the newest first">
        {ways.map((way, i) => (
          <li key={way.run}>
            <span className={styles.words}>
              <strong>{whenWords(way.at)}</strong>
              <span className={styles.sub}>{wordsOf(way, id, nameOf)}</span>
            </span>
            {i === 0 ? (
              <Popconfirm title="Put everything back as it was before this run?" onConfirm={takeBack}>
                <Button size="small" disabled={readOnly || way.on !== id}>
                  Take it back
                </Button>
              </Popconfirm>
            ) : null}
            <Popconfirm
              title={
                i === ways.length - 1
                  ? 'It can’t be taken back then.'
                  : 'It and all before it can’t be taken back then.'
              }
              okText="Drop"
              onConfirm={() => dropWayBack(id, way.run).then(again)}
            >
              <Button size="small" type="text" disabled={readOnly}>
                Drop
              </Button>
            </Popconfirm>
          </li>
        ))}
      </ol>
    </>
  );
}

function wordsOf(way: WayBack, id: string, nameOf: (disk: string) => string): string {
  const steps = `${spaced(way.steps)} step${way.steps === 1 ? '' : 's'}`;
  const others = way.with.map(nameOf).join(', ');
  const also = way.on === id ? others && `${others} with it` : `on ${nameOf(way.on)}, and taken back there`;
  return [steps, `${formatSize(way.bytes)} kept`, also].filter(Boolean).join(', ');
}
