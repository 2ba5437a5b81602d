'use client';

import type { StorageUse } from '@/engine';
import { dismissFull, removeDisk, unfinished, useBench } from '@/state';
import { Button, Popconfirm } from 'antd';
import { useSizes } from '../kit';
import styles from './workbench.module.css';

/** Storage is full: what takes how much of it, and what can go. */
export function StorageFull({ use }: { readonly use: StorageUse }) {
  const size = useSizes();
  const disks = useBench((s) => s.disks);
  const runs = useBench((s) => s.runs);
  const readOnly = useBench((s) => s.readOnly);
  const rows = use.disks.flatMap(({ id, bytes }) => {
    const disk = disks.find((d) => d.stored.id === id);
    return disk ? [{ id, bytes, name: disk.stored.name, unfinished: unfinished(runs[id]) }] : [];
  });
  return (
    <section className={styles.full} aria-label="What takes the storage">
      <div className={styles.fullHead}>
        <strong>What the browser keeps for this page</strong>
        <span>
          {use.used !== undefined && use.quota !== undefined ? `${size(use.used)} of ${size(use.quota)} in use` : null}
        </span>
        <Button size="small" onClick={dismissFull}>
          Close
        </Button>
      </div>
      {rows.length === 0 ? <p>Nothing that was run here takes any. Make room on the machine’s own storage.</p> : null}
      <ul>
        {rows.map((row) => (
          <li key={row.id}>
            <span>{row.name}</span>
            <span>{size(row.bytes)}</span>
            <span>{row.unfinished ? 'a run on it is not over' : 'what was run on it, and the way back'}</span>
            <Popconfirm
              title={`Take ${row.name} off the bench?`}
              description={
                row.unfinished
                  ? 'Its run is given up with all it has changed. An image file stays as it is.'
                  : 'What was run on it here is dropped: save the divided image first. An image file stays as it is.'
              }
              onConfirm={() => removeDisk(row.id)}
            >
              <Button size="small" disabled={readOnly}>
                Take off the bench
              </Button>
            </Popconfirm>
          </li>
        ))}
      </ul>
    </section>
  );
}
