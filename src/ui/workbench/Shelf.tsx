'use client';

import { formatSize } from '@/core/size';
import {
  changesIn,
  failingWords,
  look,
  mediumWords,
  useBench,
  useFindingWords,
  useScanWords,
  useTie,
  type BenchDisk,
  type JobState,
} from '@/state';
import { memo, useDeferredValue } from 'react';
import { OpenImage } from '../bench';
import { carryDisk, MiniColumn } from '../kit';
import styles from './workbench.module.css';

/** The disks on the bench, at the left of every stage. */
export function Shelf() {
  const disks = useBench((s) => s.disks);
  const currentId = useBench((s) => s.currentId);
  return (
    <aside className={styles.shelf} aria-label="On the bench">
      <h3>On the bench</h3>
      <ul>
        {disks.map((disk) => (
          <li key={disk.stored.id}>
            <ShelfDisk disk={disk} current={disk.stored.id === currentId} />
          </li>
        ))}
      </ul>
      <OpenImage />
    </aside>
  );
}

interface ShelfDiskProps {
  readonly disk: BenchDisk;
  readonly current: boolean;
}

function ShelfDisk(props: ShelfDiskProps) {
  const job = useDeferredValue(useBench((s) => s.jobs[props.disk.stored.id]));
  return <ShelfPlate {...props} job={job} />;
}

const ShelfPlate = memo(function ShelfPlate({ disk, current, job }: ShelfDiskProps & { job: JobState | undefined }) {
  const { stored, survey } = disk;
  const run = useBench((s) => s.runs[stored.id]);
  const tie = useTie(stored.id);
  const scanWords = useScanWords(stored.id);
  const findings = useFindingWords(stored.id);
  const changes = changesIn(job);
  const unfinished = run !== undefined && run.state !== 'finished';
  const go = (): void =>
    look(
      disk.status === 'open'
        ? { currentId: stored.id, stage: unfinished ? 'run' : 'divide', selected: undefined }
        : { stage: 'bench' },
    );
  return (
    <button
      type="button"
      className={styles.disk}
      aria-current={current ? 'true' : undefined}
      draggable={!current && (survey?.volumes.length ?? 0) > 0}
      onDragStart={(e) => carryDisk(e, stored.id)}
      onClick={go}
    >
      {survey && job ? <MiniColumn layout={job.now} survey={survey} width={18} height={54} /> : null}
      <span>
        <strong>{stored.name}</strong>
        {survey ? (
          <span>{`${formatSize(survey.size, 'decimal')} · ${survey.table === 'none' ? 'no table' : survey.table.toUpperCase()}`}</span>
        ) : (
          <span>{disk.status === 'opening' ? 'opening' : 'not open'}</span>
        )}
        {unfinished ? (
          <span className={styles.changed}>run under way</span>
        ) : tie ? (
          <span className={styles.changed}>{tie}</span>
        ) : changes > 0 ? (
          <span className={styles.changed}>{`${changes} change${changes === 1 ? '' : 's'} planned`}</span>
        ) : scanWords ? (
          <span className={styles.changed}>{scanWords}</span>
        ) : (
          <span className={(findings ?? failingWords(stored)) ? styles.changed : undefined}>
            {findings ?? failingWords(stored) ?? mediumWords(stored)}
          </span>
        )}
      </span>
    </button>
  );
});
