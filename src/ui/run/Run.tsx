'use client';

import { coursesByVolume, durationWords, expectedSeconds, secondsLeft, stepWords } from '@/core/plan';
import { comingBy, usedAfter, usedBy, usedIn } from '@/core/report';
import {
  isGoing,
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
import { BellOutlined, CheckOutlined, PauseOutlined } from '@ant-design/icons';
import { Alert, Button, Empty, Popconfirm, Progress } from 'antd';
import { useEffect, useMemo, useState } from 'react';
import { Columns } from '../columns';
import { noticesAre } from '../kit';
import { RunLog } from '../papers';
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
  const pace = useBench((s) => s.pace);
  const left = secondsLeft(run, pace, time);
  const reckoned = (i: number): string => durationWords(expectedSeconds({ steps: [plan.steps[i]!] }, pace, run.ground));
  // What the run does, whatever was planned since.
  const ran = job!.ran ?? { before: job!.now, planned: job!.history.present, used: undefined };
  const sources = useSourceDisks(ran.planned);
  const { before, planned, used } = ran;
  const usedOf = useMemo(() => (used ? usedIn({ used }) : usedBy(disk.survey!)), [used, disk.survey]);
  const usedThen = useMemo(() => usedAfter(usedOf, comingBy(plan.steps, planned)), [usedOf, plan.steps, planned]);
  const courses = useMemo(
    () => coursesByVolume(plan.steps, before, planned, { step: stepsDone, share: finished ? 0 : share }),
    [plan.steps, before, planned, stepsDone, share, finished],
  );
  return (
    <div className={styles.page}>
      <div className={styles.columns}>
        <Columns
          usedOf={usedOf}
          usedThen={usedThen}
          now={before}
          planned={planned}
          bounds={bounds}
          courses={courses}
          done={finished}
          sources={sources}
        />
      </div>
      <aside className={styles.side}>
        <div className={styles.state}>
          <h1>{TITLES[run.state]}</h1>
          <p className={styles.sub}>
            {run.state === 'running'
              ? `About ${durationWords(left)} left. A power cut or a closed tab loses nothing.`
              : WORDS[run.state]}
          </p>
          {run.simulated && run.ground !== 'medium' ? (
            <p
              className={styles.sub}
            >{`A rehearsal in memory: a real ${mediumWords(disk.stored)} ${finished ? `would take ${durationWords(run.simulated)}` : `would be ${durationWords(run.simulated)} into it, and take ${durationWords(plan.total.seconds)} in all`}.`}</p>
          ) : null}
          <Progress
            percent={Math.floor(run.share * 100)}
            status={run.state === 'failed' ? 'exception' : finished ? 'success' : 'active'}
            aria-label="The whole run"
          />
          {isGoing(run) ? (
            // Not where what began the run was pressed: a second press there must not stop it.
            <div className={styles.stop}>
              <Button
                icon={<PauseOutlined aria-hidden />}
                loading={run.state === 'stopping'}
                disabled={readOnly}
                onClick={() => void stopRunning(id)}
              >
                Pause
              </Button>
              <TellMe />
            </div>
          ) : null}
        </div>
        {run.error ? <Alert type="error" showIcon title={run.error} className={styles.alert} /> : null}
        <ol className={styles.steps}>
          {plan.steps.map((step, i) => {
            const { title, detail } = stepWords(step, units);
            const state = i < stepsDone ? 'done' : i === run.step && !finished ? 'current' : 'waiting';
            return (
              <li key={i} className={styles[state]}>
                <span aria-hidden>{state === 'done' ? <CheckOutlined /> : i + 1}</span>
                <span>
                  {title}
                  <span className={styles.detail}>{detail}</span>
                  {state === 'current' ? (
                    <Progress percent={Math.round(share * 100)} size="small" aria-label={title} />
                  ) : null}
                </span>
                <span className={styles.time}>
                  {state === 'done' ? 'done' : state === 'waiting' ? reckoned(i) : null}
                </span>
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
                Go on with the run
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
  stopping: 'Pausing at the next safe moment',
  stopped: 'Paused safely',
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

/** Lets a person be told when a run ends, where the browser can and was not told otherwise. */
function TellMe() {
  const [permission, setPermission] = useState(noticesAre);
  if (permission !== 'default') return null;
  return (
    <Button
      type="text"
      icon={<BellOutlined aria-hidden />}
      onClick={() => void Notification.requestPermission().then(setPermission, () => undefined)}
    >
      Tell me when it ends
    </Button>
  );
}

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
