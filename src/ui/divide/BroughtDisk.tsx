'use client';

import { ask, useBench } from '@/state';
import { useState, type ReactNode } from 'react';
import { droppedDisk, hoversDisk } from '../kit';
import styles from './divide.module.css';

/** The columns, onto which a disk of the shelf may be let go: what is to be copied of it is asked then. */
export function BroughtDisk({ children }: { readonly children: ReactNode }) {
  const readOnly = useBench((s) => s.readOnly);
  const [over, setOver] = useState(false);
  return (
    <div
      className={`${styles.columns} ${over ? styles.brought : ''}`}
      data-walk="columns"
      onDragOver={(e) => !readOnly && hoversDisk(e) && setOver(true)}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        const from = readOnly ? undefined : droppedDisk(e);
        if (from !== undefined) ask({ kind: 'copy', from });
      }}
    >
      {children}
    </div>
  );
}
