'use client';

import { durationWords } from '@/core/plan';
import type { Certificate, Losses, VolumeProof, WipeProof } from '@/core/proof';
import { methodWords, OUTCOME_DETAILS, OUTCOME_WORDS } from '@/core/report';
import { spaced } from '@/core/size';
import { engine, given, listener } from '@/engine';
import { look, mediumWords, rewind, useBench, type Current } from '@/state';
import { Alert, Button, Dropdown, Empty, Popconfirm, Progress, Table } from 'antd';
import { useState } from 'react';
import { download, Facts, MiniColumn, savePicker, useSizes } from '../kit';
import { RunLog, RunPapers } from '../papers';
import styles from './prove.module.css';

/** Forms that an image is saved in beside a raw one. */
type ImageForm = 'gz' | 'qcow2' | (typeof FORMS)[number];
const FORMS = ['zip', 'vhd', 'vhdx'] as const;

/** The proof: every file counted and compared, then export or rewind. */
export function Prove({ current }: { readonly current: Current }) {
  const certificate = current.run?.certificate;
  if (!certificate) {
    return (
      <div className={styles.empty}>
        <Empty description="Nothing has been run on this disk, so there is nothing to prove.">
          <Button onClick={() => look({ stage: 'divide' })}>Divide</Button>
        </Empty>
      </div>
    );
  }
  return <CertificatePage current={current} certificate={certificate} />;
}

function CertificatePage({ current, certificate }: { readonly current: Current; readonly certificate: Certificate }) {
  const { id, disk, job } = current;
  const { outcome } = certificate;
  const survey = disk.survey!;
  const readOnly = useBench((s) => s.readOnly);
  const [exported, setExported] = useState<number>();
  const [fault, setFault] = useState<string>();
  const name = `${disk.stored.name.replace(/[^\p{L}\p{N} _-]/gu, '')} divided.img`;
  const exportPacked = (format: ImageForm): Promise<void> => {
    const own = format === 'gz' ? `${name}.gz` : name.replace(/img$/, format);
    return download(own, 0, (port) => engine('serveImage', id, format, given(port)));
  };
  const exportImage = async (): Promise<void> => {
    setFault(undefined);
    const pick = savePicker();
    if (!pick) return download(name, survey.size, (port) => engine('serveImage', id, 'raw', given(port)));
    const handle = await pick({ suggestedName: name }).catch(() => undefined);
    if (!handle) return;
    setExported(0);
    await engine(
      'exportTo',
      id,
      handle,
      listener((done: number, total: number) => setExported(done / total)),
    );
    setExported(1);
  };
  const act = (work: Promise<unknown>): void => void work.catch((error: Error) => setFault(error.message));
  return (
    <div className={styles.page}>
      <div className={styles.head}>
        {job?.before ? (
          <figure>
            <MiniColumn layout={job.before} survey={survey} width={64} height={170} />
            <figcaption>Before</figcaption>
          </figure>
        ) : null}
        <figure>
          <MiniColumn layout={job!.now} survey={survey} width={64} height={170} />
          <figcaption>Now</figcaption>
        </figure>
        <div className={styles.verdict}>
          <h1
            className={outcome === 'differs' ? styles.failed : styles.proven}
          >{`${outcome === 'proven' ? '✓ ' : ''}${OUTCOME_WORDS[outcome]}`}</h1>
          <p
            className={styles.sub}
          >{`${OUTCOME_DETAILS[outcome]} Finished ${new Date(certificate.finished).toLocaleString()}.`}</p>
          {current.run?.simulated ? (
            <p
              className={styles.sub}
            >{`A rehearsal: the real ${mediumWords(disk.stored)} would take ${durationWords(current.run.simulated)}.`}</p>
          ) : null}
          {certificate.volumes.map((proof) => (
            <VolumeFacts key={proof.number} proof={proof} />
          ))}
        </div>
      </div>
      {fault ? <Alert type="error" showIcon title={fault} /> : null}
      {certificate.volumes.flatMap((v) => v.differences).length > 0 ? (
        <Table
          size="small"
          rowKey="path"
          dataSource={certificate.volumes.flatMap((v) => [...v.differences])}
          columns={[
            { title: 'Path', dataIndex: 'path' },
            { title: 'Differs in', dataIndex: 'what', width: 140 },
          ]}
          pagination={{ pageSize: 8, hideOnSinglePage: true }}
        />
      ) : null}
      {(certificate.wipes ?? []).map((w) => (
        <WipeFacts key={w.title} wipe={w} />
      ))}
      {certificate.volumes.map((v) => (v.lost ? <LostFiles key={v.number} name={v.name} lost={v.lost} /> : null))}
      <section>
        <h2>What was done</h2>
        <ol className={styles.steps}>
          {certificate.steps.map((step) => (
            <li key={step}>
              <span aria-hidden>✓</span> {step}
            </li>
          ))}
        </ol>
      </section>
      <RunLog id={id} mark={certificate.finished} />
      <div className={styles.actions}>
        <Button type="primary" size="large" onClick={() => act(exportImage())}>
          Export the divided image
        </Button>
        <Button size="large" onClick={() => act(exportPacked('gz'))}>
          as gz
        </Button>
        <Button size="large" onClick={() => act(exportPacked('qcow2'))}>
          as qcow2
        </Button>
        <Dropdown
          trigger={['click']}
          menu={{
            items: FORMS.map((form) => ({ key: form, label: `as ${form}` })),
            onClick: ({ key }) => act(exportPacked(key as ImageForm)),
          }}
        >
          <Button size="large">as…</Button>
        </Dropdown>
        <RunPapers current={current} certificate={certificate} />
        <Button size="large" onClick={() => look({ stage: 'look' })}>
          Look at the volumes
        </Button>
        <Popconfirm title="Put everything back as it was before the run?" onConfirm={() => rewind(id)}>
          <Button size="large" disabled={readOnly}>
            Rewind
          </Button>
        </Popconfirm>
        {exported !== undefined ? (
          <Progress percent={Math.round(exported * 100)} className={styles.progress} aria-label="Export" />
        ) : null}
      </div>
    </div>
  );
}

/** What was written over, and how that was shown. */
function WipeFacts({ wipe }: { readonly wipe: WipeProof }) {
  const size = useSizes();
  return (
    <section className={styles.volume}>
      <h2>{wipe.title}</h2>
      <Facts
        items={[
          ['Size', size(wipe.bytes)],
          ['How', wipe.how],
          ['Compared', size(wipe.compared)],
          ['Differ', `${spaced(wipe.differing)} bytes`],
          ['Could not be written', wipe.unwrittenBytes > 0 ? size(wipe.unwrittenBytes) : 'nothing'],
        ]}
      />
    </section>
  );
}

/** Files of a copy that have zeros where their disk could not be read. */
function LostFiles({ name, lost }: { readonly name: string; readonly lost: Losses }) {
  const size = useSizes();
  const files = `${spaced(lost.files)} file${lost.files === 1 ? '' : 's'}`;
  return (
    <section>
      <h2>{`Lost of ${name}`}</h2>
      <p className={styles.sub}>
        {`${size(lost.bytes)} of ${files} could not be read and are zeros in the copy; ${size(lost.elsewhere)} lay in structures and unused ends.`}
      </p>
      <Table
        size="small"
        rowKey="path"
        dataSource={[...lost.listed]}
        columns={[
          { title: 'Path', dataIndex: 'path' },
          { title: 'Bytes lost', dataIndex: 'bytes', width: 140, render: (bytes: number) => spaced(bytes) },
        ]}
        pagination={{ pageSize: 8, hideOnSinglePage: true }}
      />
    </section>
  );
}

function VolumeFacts({ proof }: { readonly proof: VolumeProof }) {
  const size = useSizes();
  return (
    <div className={styles.volume}>
      <h2>{proof.name}</h2>
      <Facts
        items={[
          ['Files', `✓ ${spaced(proof.files)}`],
          ['Folders', `✓ ${spaced(proof.folders)}`],
          ['Content', size(proof.bytes)],
          ['Identical', spaced(proof.identical)],
          ['Differ', spaced(proof.differing)],
          ['Structure check', proof.findings.length === 0 ? 'sound' : proof.findings.map((f) => f.message).join(' ')],
          ['How', methodWords(proof)],
        ]}
      />
    </div>
  );
}
