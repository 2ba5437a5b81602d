'use client';

import { durationWords, lossWords, placesElsewhere, stepWords } from '@/core/plan';
import { look, useBench, type PlanView, type RoomElsewhere } from '@/state';
import { Alert, Button, Popconfirm } from 'antd';
import { memo } from 'react';
import { useSizes } from '../kit';
import styles from './divide.module.css';

/** The derived work order, always current, and what it comes to. */
export const WorkOrder = memo(function WorkOrder(
  props: PlanView & { readonly onOverride: () => void; readonly onAside: (diskId: string | undefined) => void },
) {
  const { plan, refusal, overridable, asideOn, onOverride, onAside } = props;
  const units = useBench((s) => s.units);
  const size = useSizes();
  const steps = plan?.steps ?? [];
  return (
    <>
      <section className={styles.order} aria-label="Work order" aria-live="polite" tabIndex={0} data-walk="order">
        <h2>Work order</h2>
        {refusal ? (
          <Alert
            type="error"
            showIcon
            title={refusal}
            style={{ marginTop: 10 }}
            action={
              overridable ? (
                <Popconfirm
                  title="Go on all the same?"
                  description="The system that owns the volume may undo or mix up what is done here. Have a backup."
                  okText="Go on all the same"
                  onConfirm={onOverride}
                >
                  <Button size="small">Override…</Button>
                </Popconfirm>
              ) : undefined
            }
          />
        ) : null}
        {asideOn ? <Elsewhere rooms={asideOn} refused={refusal !== undefined} onAside={onAside} /> : null}
        {!refusal && steps.length === 0 ? (
          <p className={styles.sub}>Nothing to do yet. Split a volume, or drag an edge on the planned column.</p>
        ) : null}
        <ol>
          {steps.map((step, i) => {
            const { title, detail } = stepWords(step, units);
            return (
              <li className={styles.step} key={`${step.kind}-${i}`}>
                <span>{i + 1}</span>
                <span>
                  {title}
                  <span className={styles.detail}>{detail}</span>
                </span>
                <span>{durationWords(step.cost.seconds)}</span>
              </li>
            );
          })}
        </ol>
        {plan && placesElsewhere(plan).size > 0 ? (
          <Button size="small" type="link" onClick={() => onAside(undefined)}>
            Set nothing aside on another disk
          </Button>
        ) : null}
      </section>
      <div className={styles.foot}>
        {plan && steps.length > 0 ? (
          <div className={styles.totals}>
            <div>
              <strong>{size(plan.total.carries)}</strong>
              <span>data carried</span>
            </div>
            <div>
              <strong>{durationWords(plan.total.seconds)}</strong>
              <span>expected</span>
            </div>
            <div>
              {plan.loses.bytes > 0 || !plan.restart ? (
                <>
                  <strong>{plan.loses.bytes > 0 ? lossWords(plan.loses, units).split(',')[0] : 'nothing'}</strong>
                  <span>lost</span>
                </>
              ) : (
                <>
                  <strong>1 restart</strong>
                  <span>{plan.restart.split(' while')[0]}</span>
                </>
              )}
            </div>
          </div>
        ) : null}
        <Button
          type="primary"
          size="large"
          block
          disabled={steps.length === 0}
          onClick={() => look({ stage: 'review' })}
        >
          Review the work order
        </Button>
      </div>
    </>
  );
});

/** Disks whose unallocated space would do. */
function Elsewhere({
  rooms,
  refused,
  onAside,
}: {
  readonly rooms: readonly RoomElsewhere[];
  readonly refused: boolean;
  readonly onAside: (diskId: string) => void;
}) {
  const size = useSizes();
  if (rooms.length === 0) return refused ? <p className={styles.sub}>No other disk on the bench has as much.</p> : null;
  return (
    <div className={styles.asides}>
      {refused ? null : <span className={styles.sub}>Instead of making volumes smaller for a time:</span>}
      {rooms.slice(0, 3).map(({ id, name, bytes }) => (
        <Button key={id} size="small" onClick={() => onAside(id)}>
          {`Set aside on ${name}, ${size(bytes)} unallocated`}
        </Button>
      ))}
    </div>
  );
}
