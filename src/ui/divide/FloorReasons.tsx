'use client';

import type { Beyond } from '@/core/fs';
import { volumeNumbered } from '@/core/inspect';
import type { LaidVolume } from '@/core/layout';
import { engine } from '@/engine';
import type { Current } from '@/state';
import { useEffect, useState } from 'react';
import { useSizes } from '../kit';
import styles from './floor.module.css';

const SHOWN = 8;

/** What holds a volume's floor up, and what lies past the planned end, largest first. */
export function FloorReasons({ current, volume }: { readonly current: Current; readonly volume: LaidVolume }) {
  const size = useSizes();
  const [beyond, setBeyond] = useState<Beyond>();
  const number = volume.origin.kind === 'kept' ? volume.origin.number : 0;
  const limits = volumeNumbered(current.disk.survey!, number)?.limits;
  useEffect(() => {
    let live = true;
    void engine('beyond', current.id, number, volume.length).then((found) => live && setBeyond(found));
    return () => void (live = false);
  }, [current.id, number, volume.length]);
  if (!limits) return null;
  return (
    <div className={styles.box}>
      <h3>{`Floor ${size(limits.floor.bytes)}`}</h3>
      <p>{`${limits.floor.reason.charAt(0).toUpperCase()}${limits.floor.reason.slice(1)}.`}</p>
      <ul>
        {limits.floor.holds.map((hold) => (
          <li key={hold.what}>
            <span>{hold.what}</span>
            <span>{size(hold.bytes)}</span>
          </li>
        ))}
      </ul>
      {beyond && beyond.bytes > 0 ? (
        <>
          <h3>{`${size(beyond.bytes)} sits past the planned end`}</h3>
          <p>All of it is carried in. Largest first:</p>
          <ul>
            {beyond.items.slice(0, SHOWN).map((item) => (
              <li key={item.path}>
                <span className={styles.path}>{item.path}</span>
                <span>{size(item.bytes)}</span>
              </li>
            ))}
          </ul>
        </>
      ) : (
        <p>Nothing sits past the planned end.</p>
      )}
    </div>
  );
}
