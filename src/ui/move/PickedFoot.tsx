'use client';

import type { PickedFolder } from '@/core/goal';
import { useBench } from '@/state';
import { Alert, Button } from 'antd';
import { useSizes } from '../kit';
import styles from './move.module.css';

interface Props {
  readonly folders: readonly PickedFolder[];
  /** What is done with them. */
  readonly act: string;
  readonly onAct: () => void;
}

/** What is picked and comes to how much, why it was refused, and the button that does it. */
export function PickedFoot({ folders, act, onAct }: Props) {
  const size = useSizes();
  const refusal = useBench((s) => s.refusal);
  const bytes = folders.reduce((sum, f) => sum + f.bytes, 0);
  return (
    <>
      {refusal ? <Alert type="warning" showIcon title={refusal.reason} /> : null}
      <div className={styles.foot}>
        <span>
          {folders.length > 0 ? `${folders.map((f) => f.path).join(', ')}: ${size(bytes)}` : 'Pick folders above.'}
        </span>
        <Button type="primary" disabled={folders.length === 0} onClick={onAct}>
          {act}
        </Button>
      </div>
    </>
  );
}
