'use client';

import { formatSize } from '@/core/size';
import {
  failingWords,
  look,
  mediumWords,
  openFile,
  reopen,
  removeDisk,
  rewind,
  unfinished,
  useBench,
  type BenchDisk,
} from '@/state';
import { Button, Popconfirm, Segmented, Spin, Table, type TableColumnsType } from 'antd';
import { useState } from 'react';
import { LetterChip, MiniColumn, ROLE_WORDS, useSizes } from '../kit';
import { DescribeDisk } from './DescribeDisk';
import { OpenImage, pickFile } from './OpenImage';
import { saveList } from './save-list';
import styles from './bench.module.css';

/** Home: all disks as columns on a shelf, or all volumes as a table. */
export function Bench() {
  const disks = useBench((s) => s.disks);
  const ready = useBench((s) => s.ready);
  const readOnly = useBench((s) => s.readOnly);
  const [describing, setDescribing] = useState(false);
  const [view, setView] = useState<'disks' | 'volumes'>('disks');
  return (
    <div className={styles.page}>
      <div className={styles.head}>
        <div>
          <h1>Bench</h1>
          <p className={styles.sub}>Everything here is an image or a practice disk. The original is never written.</p>
        </div>
        <div className={styles.tools}>
          <Button disabled={readOnly} onClick={() => void pickFile(openFile)}>
            Open an image or a job…
          </Button>
          <Button disabled={readOnly} onClick={() => setDescribing(true)}>
            Describe a disk…
          </Button>
          <Button onClick={() => saveList(disks)}>Volume list…</Button>
        </div>
        <Segmented<'disks' | 'volumes'>
          value={view}
          onChange={setView}
          options={[
            { value: 'disks', label: 'Disks' },
            { value: 'volumes', label: 'Volumes' },
          ]}
        />
      </div>
      {!ready && disks.length === 0 ? <Spin description="Opening the bench" className={styles.spin} /> : null}
      {view === 'volumes' ? <VolumeTable disks={disks} /> : null}
      {view === 'disks' ? (
        <ul className={styles.shelf}>
          {disks.map((disk) => (
            <DiskPlate key={disk.stored.id} disk={disk} />
          ))}
          <li className={styles.open}>
            <OpenImage />
            <button type="button" className={styles.openButton} disabled={readOnly} onClick={() => setDescribing(true)}>
              <strong>Describe a disk by hand</strong>
              <span>to plan without an image</span>
            </button>
          </li>
        </ul>
      ) : null}
      <DescribeDisk open={describing} onClose={() => setDescribing(false)} />
    </div>
  );
}

function DiskPlate({ disk }: { readonly disk: BenchDisk }) {
  const { stored, survey, status, error, stuck } = disk;
  const readOnly = useBench((s) => s.readOnly);
  const job = useBench((s) => s.jobs[stored.id]);
  const run = useBench((s) => s.runs[stored.id]);
  const open = (): void => look({ currentId: stored.id, stage: unfinished(run) ? 'run' : 'look', selected: undefined });
  return (
    <li className={styles.plate}>
      <button
        type="button"
        className={styles.face}
        onClick={open}
        disabled={status !== 'open'}
        aria-label={`Open ${stored.name}`}
      >
        <span className={styles.column}>
          {survey && job ? <MiniColumn layout={job.now} survey={survey} width={84} height={250} /> : null}
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
      {status === 'opening' ? <Spin size="small" /> : null}
      {run?.state === 'stopped' || run?.state === 'failed' ? (
        <span className={styles.warning}>A run is unfinished and can be resumed.</span>
      ) : null}
      {failingWords(stored) ? <span className={styles.warning}>{failingWords(stored)}</span> : null}
      {survey && survey.volumes.some((v) => v.findings.some((f) => f.severity !== 'info')) ? (
        <span className={styles.warning}>The check found something.</span>
      ) : null}
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
      {(status === 'wanted' || status === 'failed') && stored.source.kind === 'image' ? (
        <>
          {stored.source.handle ? (
            <Button size="small" disabled={readOnly} onClick={() => void reopen(stored.id)}>
              Open again
            </Button>
          ) : null}
          <Button
            size="small"
            disabled={readOnly}
            onClick={() => void pickFile((file, handle) => reopen(stored.id, file, handle))}
          >
            {stored.source.handle ? 'Pick the file anew' : 'Open again'}
          </Button>
        </>
      ) : null}
      {stored.source.kind === 'image' || stored.id.startsWith('described-') ? (
        <Popconfirm
          title="Take it off the bench?"
          description="What was planned and run here is dropped; an image file stays where it is."
          onConfirm={() => removeDisk(stored.id)}
        >
          <Button size="small" type="text" disabled={readOnly}>
            Take off the bench
          </Button>
        </Popconfirm>
      ) : null}
    </li>
  );
}

interface VolumeRow {
  readonly key: string;
  readonly disk: BenchDisk;
  readonly volume: NonNullable<BenchDisk['survey']>['volumes'][number];
}

function VolumeTable({ disks }: { readonly disks: readonly BenchDisk[] }) {
  const size = useSizes();
  const jobs = useBench((s) => s.jobs);
  const rows = disks.flatMap((disk): VolumeRow[] =>
    (disk.survey?.volumes ?? []).map((volume) => ({ key: `${disk.stored.id}-${volume.number}`, disk, volume })),
  );
  const laid = ({ disk, volume }: VolumeRow) =>
    jobs[disk.stored.id]?.now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === volume.number);
  const columns: TableColumnsType<VolumeRow> = [
    {
      title: 'Disk',
      render: (_, row) => (
        <Button
          type="link"
          size="small"
          style={{ padding: 0 }}
          onClick={() => look({ currentId: row.disk.stored.id, stage: 'look', selected: undefined })}
        >
          {row.disk.stored.name}
        </Button>
      ),
    },
    { title: 'Letter', width: 70, render: (_, row) => laid(row)?.letter ?? '' },
    { title: 'Label', render: (_, row) => row.volume.info?.label || '(none)' },
    { title: 'Role', width: 100, render: (_, row) => ROLE_WORDS[laid(row)?.role ?? row.volume.role] },
    {
      title: 'File system',
      width: 120,
      render: (_, row) => row.volume.info?.title ?? row.volume.recognised?.title ?? 'not known',
    },
    { title: 'Size', width: 110, align: 'right', render: (_, row) => size(row.volume.length) },
    {
      title: 'In use',
      width: 110,
      align: 'right',
      render: (_, row) => (row.volume.info ? size(row.volume.info.used) : ''),
    },
    {
      title: 'Free',
      width: 110,
      align: 'right',
      render: (_, row) => (row.volume.info ? size(row.volume.info.free) : ''),
    },
  ];
  return (
    <Table<VolumeRow>
      size="small"
      rowKey="key"
      columns={columns}
      dataSource={rows}
      pagination={false}
      locale={{ emptyText: 'No volume on the bench.' }}
    />
  );
}
