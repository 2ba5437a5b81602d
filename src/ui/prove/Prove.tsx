'use client';

import { coursesByVolume, durationWords } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import { OUTCOME_DETAILS, OUTCOME_WORDS, usedBy, usedIn, usedInThen } from '@/core/report';
import { look, mediumWords, useBounds, useSourceDisks, whenWords, type Current, type RunView } from '@/state';
import { CheckCircleFilled, CloseCircleFilled, InfoCircleFilled } from '@ant-design/icons';
import { Button, Empty, Table } from 'antd';
import { useMemo } from 'react';
import { Columns } from '../columns';
import { RunLog } from '../papers';
import { LostFiles, VolumeProofs, WipeProofs } from './Proofs';
import { WhatNow } from './WhatNow';
import styles from './prove.module.css';

/** The proof: what came of the run at a glance, every volume, and what to do now. */
export function Prove({ current }: { readonly current: Current }) {
  const { run } = current;
  if (!run?.certificate) {
    return (
      <div className={styles.empty}>
        <Empty description="Nothing has been run on this disk, so there is nothing to prove.">
          <Button onClick={() => look({ stage: 'divide' })}>Divide</Button>
        </Empty>
      </div>
    );
  }
  return <CertificatePage current={current} run={run} certificate={run.certificate} />;
}

interface PageProps {
  readonly current: Current;
  readonly run: RunView;
  readonly certificate: Certificate;
}

function CertificatePage({ current, run, certificate }: PageProps) {
  const { id, disk } = current;
  const { outcome, volumes } = certificate;
  const differences = volumes.flatMap((v) => v.differences.map((d) => ({ ...d, volume: v.name })));
  return (
    <div className={styles.page}>
      <div className={styles.centre}>
        <header className={styles.verdict}>
          <OutcomeIcon outcome={outcome} />
          <div>
            <h1 className={outcome === 'differs' ? styles.failed : styles.proven}>{OUTCOME_WORDS[outcome]}</h1>
            <p className={styles.sub}>{`${OUTCOME_DETAILS[outcome]} Finished ${whenWords(certificate.finished)}.`}</p>
            {run.simulated && run.ground !== 'medium' ? (
              <p
                className={styles.sub}
              >{`A rehearsal: the real ${mediumWords(disk.stored)} would take ${durationWords(run.simulated)}.`}</p>
            ) : null}
          </div>
        </header>
        {differences.length > 0 ? (
          <Table
            size="small"
            rowKey={({ volume, path, what }) => `${volume} ${path} ${what}`}
            dataSource={differences}
            columns={[
              { title: 'Path', dataIndex: 'path' },
              { title: 'Volume', dataIndex: 'volume', width: 160 },
              { title: 'Differs in', dataIndex: 'what', width: 140 },
            ]}
            pagination={{ pageSize: 8, hideOnSinglePage: true }}
          />
        ) : null}
        {volumes.map((v) => (v.lost ? <LostFiles key={v.number} name={v.name} lost={v.lost} /> : null))}
        <RanColumns current={current} run={run} />
      </div>
      <aside className={styles.side}>
        <WhatNow current={current} run={run} certificate={certificate} />
        <VolumeProofs volumes={volumes} />
        <WipeProofs wipes={certificate.wipes ?? []} />
        <details className={styles.done}>
          <summary>What was done</summary>
          <ol>
            {certificate.steps.map((step, i) => (
              <li key={i}>{step}</li>
            ))}
          </ol>
        </details>
        <RunLog id={id} mark={certificate.finished} />
      </aside>
    </div>
  );
}

function OutcomeIcon({ outcome }: Pick<Certificate, 'outcome'>) {
  const Icon = outcome === 'proven' ? CheckCircleFilled : outcome === 'differs' ? CloseCircleFilled : InfoCircleFilled;
  return <Icon aria-hidden className={outcome === 'differs' ? styles.badIcon : styles.icon} />;
}

const HEADINGS = ['Before', 'Now'] as const;

/** The disk before the run and after it, with a tick for every check and proof. */
function RanColumns({ current: { disk, job }, run: { plan } }: Pick<PageProps, 'current' | 'run'>) {
  const bounds = useBounds(disk);
  const survey = disk.survey!;
  const { ran, before, now } = job!;
  const [was, is] = ran ? [ran.before, ran.planned] : [before ?? now, now];
  const usedOf = useMemo(() => (ran ? usedIn(ran) : usedBy(survey)), [ran, survey]);
  const usedThen = useMemo(() => (ran ? usedInThen(ran) : usedOf), [ran, usedOf]);
  const courses = useMemo(
    () => coursesByVolume(plan.steps, was, is, { step: plan.steps.length, share: 0 }),
    [plan.steps, was, is],
  );
  const sources = useSourceDisks(is);
  return (
    <div className={styles.columns}>
      <Columns
        usedOf={usedOf}
        usedThen={usedThen}
        now={was}
        planned={is}
        bounds={bounds}
        courses={courses}
        sources={sources}
        headings={HEADINGS}
        done
      />
    </div>
  );
}
