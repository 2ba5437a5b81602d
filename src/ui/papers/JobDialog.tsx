'use client';

import type { JobFile } from '@/core/job';
import { disksFor, dismissJob, fitOf, takeJob, useBench, whenWords } from '@/state';
import { formatSize } from '@/core/size';
import { Alert, Modal, Select } from 'antd';
import { useMemo, useState } from 'react';
import styles from './papers.module.css';

/** A job that was opened: on which disk it is taken over, and what of it fits, before anything is. */
export function JobDialog() {
  const offered = useBench((s) => s.offered);
  return offered ? <Offer key={offered.made} job={offered} /> : null;
}

function Offer({ job }: { readonly job: JobFile }) {
  const disks = useBench((s) => s.disks);
  const fitting = useMemo(() => disksFor(job, disks), [job, disks]);
  const [picked, setPicked] = useState<string>();
  const id = picked ?? fitting[0]?.stored.id;
  const [fit, fault] = useMemo(() => tried(job, id), [job, id]);
  const { name, size } = job.disk;
  return (
    <Modal
      open
      title={`A job planned on ${name}`}
      okText="Take it over"
      okButtonProps={{ disabled: !fit }}
      onOk={() => id && void takeJob(id, job)}
      onCancel={dismissJob}
    >
      <div className={styles.offer}>
        <p>{`It was made ${whenWords(job.made)} for a disk of ${formatSize(size, 'decimal')}. Nothing is written: it becomes the plan, and can be undone.`}</p>
        {fitting.length === 0 ? (
          <Alert type="warning" showIcon title="No disk is open. Open the image of the disk first, or describe it." />
        ) : (
          <>
            <label htmlFor="job-disk">On which disk</label>
            <Select
              id="job-disk"
              value={id}
              onChange={setPicked}
              options={fitting.map(({ stored }) => ({ value: stored.id, label: stored.name }))}
            />
          </>
        )}
        {fault ? <Alert type="error" showIcon title={fault} /> : null}
        {fit && fit.differences.length === 0 ? (
          <p className={styles.same}>It is the disk of the job: nothing differs.</p>
        ) : null}
        {fit && fit.differences.length > 0 ? (
          <Sentences title="What is not as in the job" all={fit.differences} />
        ) : null}
        {fit && fit.taken.left.length > 0 ? <Sentences title="What is left out" all={fit.taken.left} /> : null}
      </div>
    </Modal>
  );
}

function Sentences({ title, all }: { readonly title: string; readonly all: readonly string[] }) {
  return (
    <section>
      <h3>{title}</h3>
      <ul>
        {all.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </ul>
    </section>
  );
}

function tried(job: JobFile, id: string | undefined): [ReturnType<typeof fitOf>, string | undefined] {
  if (id === undefined) return [undefined, undefined];
  try {
    return [fitOf(job, id), undefined];
  } catch (error) {
    return [undefined, (error as Error).message];
  }
}
