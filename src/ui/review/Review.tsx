'use client';

import { disksBeside } from '@/core/report';
import { durationWords, lossWords, stepReason, stepWords, type Plan, type Step } from '@/core/plan';
import { look, startRunning, useBench, usePlan, usePlanOptions, wish, type Current } from '@/state';
import { Alert, Button, Checkbox, Empty, Table, type TableColumnsType } from 'antd';
import { useState } from 'react';
import { Facts, MiniColumn, useSizes } from '../kit';
import { Notes, PlanPapers } from '../papers';
import { BeforeAfter } from './BeforeAfter';
import { Identity } from './Identity';
import { Losses } from './Losses';
import styles from './review.module.css';

/** The page before anything is touched: the right disk, before and after, every step, what is lost. */
export function Review({ current }: { readonly current: Current }) {
  const { plan } = usePlan(current);
  if (!plan || plan.steps.length === 0) {
    return (
      <div className={styles.page}>
        <Empty description="There is nothing to review: the planned layout is the one there is.">
          <Button type="primary" onClick={() => look({ stage: 'divide' })}>
            Back to Divide
          </Button>
        </Empty>
      </div>
    );
  }
  return <PlanReview current={current} plan={plan} />;
}

function PlanReview({ current, plan }: { readonly current: Current; readonly plan: Plan }) {
  const size = useSizes();
  const readOnly = useBench((s) => s.readOnly);
  const units = useBench((s) => s.units);
  const [accepted, setAccepted] = useState(false);
  const { disk, job } = current;
  const survey = disk.survey!;
  const { failing } = usePlanOptions(current);
  const begin = (): void => {
    void startRunning(current.id, plan);
    look({ stage: 'run' });
  };
  return (
    <div className={styles.page}>
      <div className={styles.head}>
        <figure>
          <MiniColumn layout={job!.now} survey={survey} width={64} height={190} />
          <figcaption>Now</figcaption>
        </figure>
        <figure>
          <MiniColumn layout={job!.history.present} survey={survey} width={64} height={190} />
          <figcaption>Planned</figcaption>
        </figure>
        <div className={styles.identity}>
          <h1>{`Work order for ${disk.stored.name}`}</h1>
          <p className={styles.sub}>Nothing has been touched yet, and the original is never written.</p>
          <Identity current={current} />
        </div>
        <div className={styles.sums}>
          <Facts
            items={[
              ['Data carried', size(plan.total.carries)],
              ['Least possible', size(plan.leastCarried)],
              ['Expected', durationWords(plan.total.seconds)],
              ['Restarts', plan.restart ? `1: ${plan.restart}` : 'none'],
              ...disksBeside(plan),
              ['Lost', plan.loses.bytes > 0 ? lossWords(plan.loses, units) : 'nothing'],
            ]}
          />
        </div>
      </div>
      <BeforeAfter current={current} plan={plan} />
      <h2>Steps</h2>
      <Table<Step>
        size="small"
        rowKey={(s) => plan.steps.indexOf(s)}
        columns={stepColumns(plan, size, units)}
        dataSource={[...plan.steps]}
        pagination={false}
      />
      <div className={styles.notes}>
        <div className={styles.wishes}>
          <Checkbox
            checked={job?.wishes?.checkAtNextStart ?? false}
            disabled={readOnly}
            onChange={(e) => wish(current.id, { checkAtNextStart: e.target.checked })}
          >
            Have the owner’s system check changed volumes at its next start
          </Checkbox>
          {failing && failing.weak.length + failing.dead.length > 0 ? (
            <Checkbox
              checked={job?.wishes?.retireFailing ?? false}
              disabled={readOnly}
              onChange={(e) => wish(current.id, { retireFailing: e.target.checked })}
            >
              Take failing places out of use
            </Checkbox>
          ) : null}
          {disk.stored.source.kind === 'practice' ? (
            <Checkbox
              checked={job?.wishes?.paced ?? false}
              disabled={readOnly}
              onChange={(e) => wish(current.id, { paced: e.target.checked })}
            >
              Take as long as the real medium
            </Checkbox>
          ) : null}
        </div>
        {plan.hazards.map((hazard) => (
          <Alert key={hazard.message} type={hazard.severity} title={hazard.message} showIcon />
        ))}
        {plan.after.length > 0 ? (
          <section>
            <h2>Afterwards</h2>
            <ul>
              {plan.after.map((line) => (
                <li key={line}>{line}</li>
              ))}
            </ul>
          </section>
        ) : null}
        <Notes current={current} />
      </div>
      <div className={styles.foot}>
        <Losses current={current} plan={plan} onAccept={setAccepted} />
        <PlanPapers current={current} plan={plan} />
        <Button onClick={() => look({ stage: 'divide' })}>Back</Button>
        <Button type="primary" size="large" disabled={readOnly || !accepted} onClick={begin}>
          Run the work order
        </Button>
      </div>
    </div>
  );
}

function stepColumns(plan: Plan, size: (bytes: number) => string, units: 'binary' | 'decimal'): TableColumnsType<Step> {
  const amount = (bytes: number): string => (bytes >= 1 ? size(Math.round(bytes)) : '');
  return [
    { title: '', width: 36, render: (_, step) => plan.steps.indexOf(step) + 1 },
    {
      title: 'Step',
      render: (_, step) => {
        const { title, detail } = stepWords(step, units);
        return (
          <>
            <strong>{title}</strong>
            <span className={styles.detail}>{detail}</span>
            <span className={styles.detail}>{stepReason(step)}</span>
          </>
        );
      },
    },
    { title: 'Reads', align: 'right', width: 90, render: (_, step) => amount(step.cost.reads) },
    { title: 'Carries', align: 'right', width: 90, render: (_, step) => amount(step.cost.carries) },
    { title: 'Writes', align: 'right', width: 90, render: (_, step) => amount(step.cost.writes) },
    {
      title: 'Loses',
      align: 'right',
      width: 150,
      render: (_, step) =>
        'loses' in step && step.loses ? <strong className={styles.loss}>{lossWords(step.loses, units)}</strong> : '',
    },
    { title: 'Time', align: 'right', width: 90, render: (_, step) => durationWords(step.cost.seconds) },
  ];
}
