'use client';

import { lossWords, type Plan } from '@/core/plan';
import { useBench, type Current } from '@/state';
import { Checkbox, Input } from 'antd';
import { useEffect, useState } from 'react';
import styles from './review.module.css';

interface Props {
  readonly current: Current;
  readonly plan: Plan;
  readonly onAccept: (accepted: boolean) => void;
}

/** What is lost has to be acknowledged; where nothing of a disk stays, by typing its name. */
export function Losses({ current, plan, onAccept }: Props) {
  const units = useBench((s) => s.units);
  const [accepted, setAccepted] = useState(false);
  const [typed, setTyped] = useState('');
  const { disk, job } = current;
  const { name } = disk.stored;
  const loses = plan.steps.some((s) => 'loses' in s && s.loses);
  const stays = job!.history.present.volumes.some((v) => v.origin.kind === 'kept' && !v.format);
  const whole = loses && !stays;
  const done = !loses || (whole ? typed === name : accepted);
  useEffect(() => onAccept(done), [done, onAccept]);
  if (!loses) return <span className={styles.sub}>Nothing is lost.</span>;
  const lost = <strong className={styles.loss}>{`${lossWords(plan.loses, units)} will be lost.`}</strong>;
  if (!whole)
    return (
      <Checkbox checked={accepted} onChange={(e) => setAccepted(e.target.checked)}>
        {lost} I have what I need of it.
      </Checkbox>
    );
  return (
    <span className={styles.whole}>
      <label htmlFor="whole-disk">
        {lost} {`Nothing of this disk stays. Type its name, ${name}, to go on.`}
      </label>
      <Input id="whole-disk" value={typed} onChange={(e) => setTyped(e.target.value)} autoComplete="off" />
    </span>
  );
}
