'use client';

import {
  GOAL_WORDS,
  GOALS,
  proposeGoal,
  PURPOSE_WORDS,
  PURPOSES,
  type GoalKind,
  type GoalTuning,
  type Purpose,
} from '@/core/goal';
import type { Bounds } from '@/core/layout';
import { ask, edit, usePlanOptions, type Current } from '@/state';
import { derivePlan, durationWords } from '@/core/plan';
import { isCoreError } from '@/core/errors';
import { Alert, Button, InputNumber, Modal, Select } from 'antd';
import { useMemo, useState } from 'react';
import { MiniColumn, SizeInput, useSizes } from '../kit';
import styles from './goals.module.css';

interface Props {
  readonly current: Current;
  readonly bounds: Bounds;
}

/** Goals by name: each fills the plan from the disk's own facts and says why it proposes these sizes. */
export function GoalPicker({ current, bounds }: Props) {
  return (
    <Modal open onCancel={() => ask()} footer={null} title="What shall it become?" width={860} destroyOnHidden>
      <Goals current={current} bounds={bounds} />
    </Modal>
  );
}

function Goals({ current, bounds }: Props) {
  const size = useSizes();
  const survey = current.disk.survey!;
  const { now } = current.job!;
  const options = usePlanOptions(current);
  const [kind, setKind] = useState<GoalKind>('system-data');
  const [tuning, setTuning] = useState<GoalTuning>({});
  const proposal = useMemo(() => proposeGoal(kind, survey, now, bounds, tuning), [kind, survey, now, bounds, tuning]);
  const outcome = useMemo(() => {
    if (!proposal.ok) return { refusal: proposal.reason };
    try {
      return { plan: derivePlan(survey, proposal.layout, options) };
    } catch (error) {
      if (!isCoreError(error)) throw error;
      return { refusal: error.message };
    }
  }, [proposal, survey, options]);
  const choose = (next: GoalKind): void => {
    setKind(next);
    setTuning({});
  };
  const fill = (): void => {
    if (!proposal.ok) return;
    edit(current.id, () => ({ ok: true, layout: proposal.layout, name: proposal.name, notes: proposal.notes }));
    ask();
  };
  return (
    <div className={styles.goals}>
      <div className={styles.list} role="radiogroup" aria-label="Goals">
        {GOALS.map((goal) => (
          <button
            key={goal}
            type="button"
            role="radio"
            aria-checked={goal === kind}
            className={styles.goal}
            onClick={() => choose(goal)}
          >
            <strong>{GOAL_WORDS[goal].title}</strong>
            <span>{GOAL_WORDS[goal].detail}</span>
          </button>
        ))}
      </div>
      <div className={styles.proposal}>
        {outcome.refusal ? <Alert type="warning" showIcon title={outcome.refusal} /> : null}
        {proposal.ok ? (
          <>
            <div className={styles.picture}>
              <MiniColumn layout={proposal.layout} survey={survey} width={56} height={210} />
              <ul>
                {proposal.layout.volumes.map((volume) => (
                  <li key={volume.id}>
                    <strong>{[volume.letter, volume.label].filter(Boolean).join(' ') || volume.role}</strong>
                    <span>{size(volume.length)}</span>
                  </li>
                ))}
              </ul>
            </div>
            <Tuning kind={kind} taken={proposal.tuning} whole={survey.size} onTune={setTuning} />
            <ul className={styles.why}>
              {[...proposal.why, ...proposal.notes].map((line) => (
                <li key={line}>{line}</li>
              ))}
            </ul>
          </>
        ) : null}
        <div className={styles.foot}>
          <span>
            {outcome.plan
              ? `${size(outcome.plan.total.carries)} carried, ${durationWords(outcome.plan.total.seconds)} expected`
              : ''}
          </span>
          <Button type="primary" disabled={!outcome.plan} onClick={fill}>
            Fill the plan
          </Button>
        </div>
      </div>
    </div>
  );
}

interface TuningProps {
  readonly kind: GoalKind;
  readonly taken: GoalTuning;
  readonly whole: number;
  readonly onTune: (tuning: GoalTuning) => void;
}

function Tuning({ kind, taken, whole, onTune }: TuningProps) {
  const [fault, setFault] = useState<string>();
  const sizeOf = (id: 'keep' | 'second', words: string) =>
    taken[id] === undefined ? null : (
      <label className={styles.tune}>
        <span>{words}</span>
        <SizeInput
          id={`goal-${id}`}
          bytes={taken[id]}
          context={{ whole, rest: whole, current: taken[id], floor: 0 }}
          focus={false}
          onSize={(bytes) => onTune({ ...taken, [id]: bytes })}
          onFault={setFault}
        />
      </label>
    );
  return (
    <div className={styles.tunes}>
      {sizeOf('keep', 'The first keeps')}
      {sizeOf('second', 'Second system')}
      {kind === 'equal' ? (
        <label className={styles.tune}>
          <span>Shares</span>
          <InputNumber
            min={2}
            max={16}
            value={taken.count ?? 2}
            onChange={(count) => onTune({ count: count ?? 2 })}
            style={{ width: '100%' }}
          />
        </label>
      ) : null}
      {kind === 'purposes' ? (
        <label className={styles.tune}>
          <span>For</span>
          <Select<Purpose[]>
            mode="multiple"
            aria-label="Purposes"
            value={[...(taken.purposes ?? [])]}
            onChange={(purposes) => onTune({ ...taken, purposes })}
            options={PURPOSES.map((value) => ({ value, label: PURPOSE_WORDS[value] }))}
          />
        </label>
      ) : null}
      {fault ? (
        <p role="alert" className={styles.fault}>
          {fault}
        </p>
      ) : null}
    </div>
  );
}
