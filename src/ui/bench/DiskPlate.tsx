'use client';

import { formatSize } from '@/core/size';
import {
  eachPicked,
  failingWords,
  look,
  mediumWords,
  reopen,
  rewind,
  unfinished,
  useBench,
  useFindingWords,
  useScanWords,
  type BenchDisk,
} from '@/state';
import { LockOutlined } from '@ant-design/icons';
import { Button, Popconfirm, Spin } from 'antd';
import { LetterChip, MiniColumn, ROLE_WORDS } from '../kit';
import { pickFiles } from './OpenImage';
import { PlateMenu } from './PlateMenu';
import styles from './bench.module.css';

/** A disk of the bench: its column, what it is called, what is on it, and what is to be known of it. */
export function DiskPlate({ disk }: { readonly disk: BenchDisk }) {
  const { stored, survey, status } = disk;
  const job = useBench((s) => s.jobs[stored.id]);
  const run = useBench((s) => s.runs[stored.id]);
  const open = (): void => look({ currentId: stored.id, stage: unfinished(run) ? 'run' : 'look', selected: undefined });
  return (
    <li className={styles.plate}>
      <PlateMenu disk={disk} />
      <button
        type="button"
        className={styles.face}
        onClick={open}
        disabled={status !== 'open'}
        aria-label={`Open ${stored.name}`}
      >
        <span className={styles.column}>
          {survey && job ? <MiniColumn layout={job.now} survey={survey} width={84} height={220} /> : null}
        </span>
        <span className={styles.name}>{stored.name}</span>
        {survey ? (
          <span
            className={styles.facts}
          >{`${formatSize(survey.size, 'decimal')} ${mediumWords(stored)} · ${survey.table === 'none' ? 'no table' : survey.table.toUpperCase()}`}</span>
        ) : null}
        <span className={styles.letters}>
          {job?.now.volumes.map((v) => (
            <span key={v.id} className={styles.volume}>
              {v.letter ? <LetterChip letter={v.letter} role={v.role} /> : null}
              {v.label || ROLE_WORDS[v.role]}
            </span>
          ))}
        </span>
      </button>
      <Warnings disk={disk} />
      {status === 'opening' ? <Spin size="small" /> : null}
      <Reopening disk={disk} />
    </li>
  );
}

/** What a person has to know of a disk before anything else. */
function Warnings({ disk: { stored, status, error, stuck } }: { readonly disk: BenchDisk }) {
  const readOnly = useBench((s) => s.readOnly);
  const run = useBench((s) => s.runs[stored.id]);
  const findings = useFindingWords(stored.id);
  const scan = useScanWords(stored.id);
  const failing = failingWords(stored);
  return (
    <>
      {stored.guarded ? (
        <span className={styles.facts}>
          <LockOutlined aria-hidden /> guarded as a whole
        </span>
      ) : null}
      {run?.state === 'stopped' || run?.state === 'failed' ? (
        <span className={styles.warning}>A run is unfinished and can be resumed.</span>
      ) : null}
      {failing ? <span className={styles.warning}>{failing}</span> : null}
      {scan ? <span className={styles.warning}>{scan}</span> : null}
      {findings ? <span className={styles.warning}>{findings}</span> : null}
      {stuck ? (
        <>
          <span className={styles.warning}>{stuck}</span>
          <Popconfirm title="Put the disk back as it was before that run?" onConfirm={() => rewind(stored.id)}>
            <Button size="small" disabled={readOnly}>
              Put it back as it was
            </Button>
          </Popconfirm>
        </>
      ) : null}
      {status === 'wanted' || status === 'failed' ? (
        <span className={styles.warning}>{error ?? 'The image file has to be opened again.'}</span>
      ) : null}
    </>
  );
}

/** Ways to an image whose file is not at hand. */
function Reopening({ disk: { stored, status } }: { readonly disk: BenchDisk }) {
  const readOnly = useBench((s) => s.readOnly);
  if ((status !== 'wanted' && status !== 'failed') || stored.source.kind !== 'image') return null;
  const { handle } = stored.source;
  return (
    <>
      {handle ? (
        <Button size="small" disabled={readOnly} onClick={() => void reopen(stored.id)}>
          Open again
        </Button>
      ) : null}
      <Button
        size="small"
        disabled={readOnly}
        onClick={() => void pickFiles((all) => eachPicked(all, (file, handle) => reopen(stored.id, file, handle)))}
      >
        {handle ? 'Pick the file anew' : 'Open again'}
      </Button>
    </>
  );
}
