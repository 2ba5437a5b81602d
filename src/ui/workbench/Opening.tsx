'use client';

import { cancelOpening } from '@/state';
import { Button, Progress } from 'antd';
import styles from './workbench.module.css';

interface Props {
  readonly name: string;
  readonly done: number;
  readonly total: number;
}

/** A packed image that is being opened, which can be called off. */
export function Opening({ name, done, total }: Props) {
  const percent = total > 0 ? Math.floor((done / total) * 100) : 0;
  return (
    <div className={styles.opening} role="status">
      <span>{`Opening ${name}`}</span>
      <Progress percent={percent} size="small" aria-label={`Opening ${name}`} />
      <Button size="small" onClick={() => void cancelOpening()}>
        Cancel
      </Button>
    </div>
  );
}
