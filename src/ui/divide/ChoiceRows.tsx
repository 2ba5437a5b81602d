'use client';

import { findKind, type Chosen } from '@/core/fs';
import { isMade, setChosen } from '@/core/layout';
import { edit, useBench } from '@/state';
import { Input, InputNumber, Switch } from 'antd';
import type { VolumeInHand } from './VolumeRows';
import styles from './divide.module.css';

/** What the kind of a new volume offers beside. */
export function ChoiceRows({ current: { id }, volume }: VolumeInHand) {
  const readOnly = useBench((s) => s.readOnly);
  const choices = isMade(volume) ? (findKind(volume.fileSystem)?.choices ?? []) : [];
  if (choices.length === 0) return null;
  const set = (choice: string, value: Chosen[string] | undefined): void =>
    void edit(id, (layout) => setChosen(layout, volume.id, choice, value));
  return (
    <details className={styles.choices}>
      <summary>More choices</summary>
      {choices.map((choice) => {
        const value = volume.chosen?.[choice.id];
        const field = `choice-${choice.id}`;
        return (
          <div key={choice.id} className={styles.row}>
            <label htmlFor={field}>{choice.title}</label>
            {choice.kind === 'switch' ? (
              <Switch
                id={field}
                checked={value === true}
                disabled={readOnly}
                onChange={(on) => set(choice.id, on || undefined)}
              />
            ) : null}
            {choice.kind === 'uuid' ? (
              <Input
                key={`${volume.id} ${String(value)}`}
                id={field}
                defaultValue={typeof value === 'string' ? value : ''}
                placeholder="its own"
                disabled={readOnly}
                onBlur={(e) => set(choice.id, e.target.value.trim() || undefined)}
              />
            ) : null}
            {choice.kind === 'number' ? (
              <InputNumber<number>
                key={`${volume.id} ${String(value)}`}
                id={field}
                className={styles.number!}
                {...(typeof value === 'number' ? { defaultValue: value } : {})}
                placeholder="as usual"
                suffix={choice.unit}
                disabled={readOnly}
                onBlur={(e) => set(choice.id, e.target.value === '' ? undefined : Number(e.target.value))}
              />
            ) : null}
          </div>
        );
      })}
    </details>
  );
}
