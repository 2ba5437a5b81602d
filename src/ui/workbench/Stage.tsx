'use client';

import { look, unfinished, type Current, type Stage as StageName } from '@/state';
import { Alert, Spin } from 'antd';
import { Shelf } from './Shelf';
import { Divide, Look, Prove, Review, Run, Sound } from './stages';
import styles from './workbench.module.css';

interface Props {
  readonly stage: StageName;
  readonly current: Current;
}

/** The stage in hand, with the disks of the bench at its left. */
export function Stage({ stage, current }: Props) {
  const open = current.disk.status === 'open' && current.job !== undefined;
  // While a run is unfinished the disk is between two layouts; only the run itself can be gone on with.
  const shown = unfinished(current.run) && stage !== 'look' ? 'run' : stage;
  return (
    <div className={styles.body}>
      <Shelf />
      <main className={styles.main}>
        {!open ? <NotOpen status={current.disk.status} /> : null}
        {open && shown === 'look' ? (
          <Sound key={current.id} current={current} volumes={<Look current={current} />} />
        ) : null}
        {open && shown === 'divide' ? <Divide key={current.id} current={current} /> : null}
        {open && shown === 'review' ? <Review key={current.id} current={current} /> : null}
        {open && shown === 'run' ? <Run key={current.id} current={current} /> : null}
        {open && shown === 'prove' ? <Prove key={current.id} current={current} /> : null}
      </main>
    </div>
  );
}

function NotOpen({ status }: { readonly status: string }) {
  if (status === 'opening') return <Spin description="Opening the disk" className={styles.spin} />;
  return (
    <div className={styles.notOpen}>
      <Alert
        type="warning"
        showIcon
        title="This disk is not open."
        description={
          <button type="button" className={styles.linkButton} onClick={() => look({ stage: 'bench' })}>
            Go to the bench and open it again
          </button>
        }
      />
    </div>
  );
}
