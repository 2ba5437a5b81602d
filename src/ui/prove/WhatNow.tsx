'use client';

import type { Certificate } from '@/core/proof';
import { look, rewind, useBench, type Current, type RunView } from '@/state';
import { Alert, Button, Checkbox, Dropdown, Popconfirm, Progress, Space } from 'antd';
import { DownOutlined, SaveOutlined } from '@ant-design/icons';
import { useState } from 'react';
import { RunPapers } from '../papers';
import { Rewinds } from '../rewinds';
import { PartsDialog } from './PartsDialog';
import { FORMS, useImageSaving } from './useImageSaving';
import styles from './prove.module.css';

interface Props {
  readonly current: Current;
  readonly run: RunView;
  readonly certificate: Certificate;
}

/** What is left to be done, in order. One button is the main one: to save, or to rewind where something differs. */
export function WhatNow({ current, run, certificate }: Props) {
  const { id } = current;
  const readOnly = useBench((s) => s.readOnly);
  const { save, saveInParts, saved, fault } = useImageSaving(current);
  const [parts, setParts] = useState(false);
  const [rewinds, setRewinds] = useState(false);
  const differs = certificate.outcome === 'differs';
  const { after } = run.plan;
  const back = (
    <>
      <Popconfirm title="Put everything back as it was before the run?" onConfirm={() => rewind(id)}>
        <Button disabled={readOnly} {...(differs ? { type: 'primary', size: 'large', block: true } : {})}>
          Rewind
        </Button>
      </Popconfirm>
      <Button onClick={() => setRewinds(true)}>All runs…</Button>
    </>
  );
  return (
    <section aria-label="What to do now">
      <h2>What to do now</h2>
      {current.disk.survey ? (
        <PartsDialog disk={current.disk.survey} open={parts} onSave={saveInParts} onClose={() => setParts(false)} />
      ) : null}
      <Rewinds id={id} open={rewinds} onClose={() => setRewinds(false)} />
      <ol className={styles.now}>
        {differs ? (
          <li>
            <strong>Put it back as it was</strong>
            <p className={styles.sub}>What differs stands beside. Do not give this disk away before it is clear why.</p>
            {back}
          </li>
        ) : null}
        <li>
          <strong>Save what came of it</strong>
          <Space.Compact block className={styles.main}>
            <Button
              type={differs ? 'default' : 'primary'}
              size="large"
              icon={<SaveOutlined aria-hidden />}
              className={styles.wide}
              onClick={() => save('raw')}
            >
              Export the divided image
            </Button>
            <Dropdown
              trigger={['click']}
              menu={{
                items: [
                  ...FORMS.map((form) => ({ key: form, label: `as ${form}` })),
                  { key: 'parts', label: 'in parts…' },
                ],
                onClick: ({ key }) => (key === 'parts' ? setParts(true) : save(key as (typeof FORMS)[number])),
              }}
            >
              <Button
                size="large"
                type={differs ? 'default' : 'primary'}
                icon={<DownOutlined aria-hidden />}
                aria-label="Export as…"
              />
            </Dropdown>
          </Space.Compact>
          {saved !== undefined ? (
            <Progress percent={saved === 'same' ? 100 : Math.round(saved * 100)} aria-label="Export" />
          ) : null}
          {saved === 'same' ? <p className={styles.sub}>Saved, read back, and the same.</p> : null}
          {fault ? <Alert type="error" showIcon title={fault} /> : null}
          <RunPapers current={current} certificate={certificate} />
        </li>
        {after.length > 0 ? (
          <li>
            <strong>Where the disk goes back</strong>
            <Remaining lines={after} />
          </li>
        ) : null}
        <li>
          <strong>Go on</strong>
          <div className={styles.actions}>
            <Button onClick={() => look({ stage: 'look' })}>Look at the volumes</Button>
            <Button onClick={() => look({ stage: 'bench' })}>Next disk</Button>
            {differs ? null : back}
          </div>
        </li>
      </ol>
    </section>
  );
}

/** What has to be set again, to be ticked off. */
function Remaining({ lines }: { readonly lines: readonly string[] }) {
  const [done, setDone] = useState<readonly string[]>([]);
  return (
    <Checkbox.Group
      className={styles.remaining}
      value={[...done]}
      onChange={(values) => setDone(values)}
      options={lines.map((line) => ({ value: line, label: line }))}
    />
  );
}
