'use client';

import { durationWords, stepWords } from '@/core/plan';
import {
  look,
  mediumWords,
  resumeRunning,
  rewind,
  stopRunning,
  useBench,
  useBounds,
  type Current,
  type RunView,
  useSourceDisks,
} from '@/state';
import { Alert, Button, Empty, Popconfirm, Progress } from 'antd';
import { useEffect, useState } from 'react';
import { Columns } from '../columns';
import { RunLog } from '../papers';
import { timeLeft } from './time-left';
import styles from './run.module.css';

/** The run: every step with its progress, time left, and a safe stop. */
export function Run({ current }: { readonly current: Current }) {
  const { run } = current;
  if (!run) {
    return (
      <div className={styles.empty}>
        <Empty description="No run yet. Review the work order first.">
          <Button onClick={() => look({ stage: 'review' })}>Review</Button>
        </Empty>
      </div>
    );
  }
  return <RunPage current={current} run={run} />;
}

function RunPage({ current, run }: { readonly current: Current; readonly run: RunView }) {
  const { id, disk, job } = current;
  const bounds = useBounds(disk);
  const units = useBench((s) => s.units);
  const readOnly = useBench((s) => s.readOnly);
  const time = useEverySecond(run.state === 'running');
  const { plan } = run;
  const finished = run.state === 'finished';
  const stepsDone = finished ? plan.steps.length : run.step;
  const share = run.total > 0 ? Math.min(1, run.done / run.total) : 0;
  const sources = useSourceDisks(job?.history.present);
  const carried = new Map(
    job!.history.present.volumes.map((v) => [v.id as string, finished ? 1 : (run.step + share) / plan.steps.length]),
  );
  const left = timeLeft(run, time);
  return (
    <div className={styles.page}>
      <div className={styles.columns}>
        <Columns
          survey={disk.survey!}
          now={finished && job!.before ? job!.before : job!.now}
          planned={job!.history.present}
          bounds={bounds}
          carried={carried}
          sources={sources}
        />
      </div>
      <aside className={styles.side}>
        <div className={styles.state}>
          <h1>{TITLES[run.state]}</h1>
          <p className={styles.sub}>
            {run.state === 'running'
              ? `${durationWords(left)} left. A power cut or a closed tab loses nothing.`
              : WORDS[run.state]}
          </p>
          {run.simulated ? (
            <p
              className={styles.sub}
            >{`A real ${mediumWords(disk.stored)} would be ${durationWords(run.simulated)} into it.`}</p>
          ) : null}
          <Progress
            percent={Math.round(((stepsDone + (finished ? 0 : share)) / plan.steps.length) * 100)}
            status={run.state === 'failed' ? 'exception' : finished ? 'success' : 'active'}
            aria-label="The whole run"
          />
          {run.state === 'running' || run.state === 'stopping' ? (
            // Not where what began the run was pressed: a second press there must not stop it.
            <Button
              className={styles.stop}
              loading={run.state === 'stopping'}
              disabled={readOnly}
              onClick={() => void stopRunning(id)}
            >
              Stop safely
            </Button>
          ) : null}
        </div>
        {run.error ? <Alert type="error" showIcon title={run.error} className={styles.alert} /> : null}
        <ol className={styles.steps}>
          {plan.steps.map((step, i) => {
            const { title, detail } = stepWords(step, units);
            const state = i < stepsDone ? 'done' : i === run.step && !finished ? 'current' : 'waiting';
            return (
              <li key={i} className={styles[state]}>
                <span aria-hidden>{state === 'done' ? '✓' : i + 1}</span>
                <span>
                  {title}
                  <span className={styles.detail}>{detail}</span>
                  {state === 'current' ? (
                    <Progress percent={Math.round(share * 100)} size="small" aria-label={title} />
                  ) : null}
                </span>
                <span className={styles.time}>{state === 'done' ? 'done' : durationWords(step.cost.seconds)}</span>
              </li>
            );
          })}
        </ol>
        <div className={styles.log}>
          <RunLog id={id} mark={`${run.state} ${run.step}`} />
        </div>
        <div className={styles.foot}>
          {run.state === 'stopped' || run.state === 'failed' ? (
            <>
              <Button type="primary" size="large" block disabled={readOnly} onClick={() => void resumeRunning(id)}>
                Resume the run
              </Button>
              <Popconfirm title="Put everything back as it was?" onConfirm={() => rewind(id)}>
                <Button block disabled={readOnly}>
                  Rewind instead
                </Button>
              </Popconfirm>
            </>
          ) : null}
          {finished ? (
            <Button type="primary" size="large" block onClick={() => look({ stage: 'prove' })}>
              See the proof
            </Button>
          ) : null}
        </div>
      </aside>
    </div>
  );
}

const TITLES: Readonly<Record<RunView['state'], string>> = {
  running: 'Running',
  stopping: 'Stopping at the next safe moment',
  stopped: 'Stopped safely',
  failed: 'Stopped by a fault',
  finished: 'Finished',
};

const WORDS: Readonly<Record<RunView['state'], string>> = {
  running: '',
  stopping: 'What is being written is finished first.',
  stopped: 'The disk is in order. The run goes on where it was.',
  failed: 'Nothing is lost. The run can go on where it was.',
  finished: 'Every step is done.',
};

/** Draws again every second, so that the time left goes down between reports. */
function useEverySecond(on: boolean): number {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (!on) return;
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, [on]);
  return now;
}
