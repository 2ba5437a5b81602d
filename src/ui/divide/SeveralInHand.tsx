import {
  equalShares,
  guardSeveral,
  nameOf,
  removeSeveral,
  type Bounds,
  type Edited,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { edit, look, useBench } from '@/state';
import { DeleteOutlined, LockOutlined, UnlockOutlined } from '@ant-design/icons';
import { Button } from 'antd';
import { LetterChip, useSizes } from '../kit';
import styles from './divide.module.css';

interface Props {
  readonly id: string;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly ids: readonly VolumeId[];
}

/** Several volumes in hand: what they come to, and what can be done with all of them at once. */
export function SeveralInHand({ id, planned, bounds, ids }: Props) {
  const size = useSizes();
  const readOnly = useBench((s) => s.readOnly);
  const refusal = useBench((s) => s.refusal);
  const volumes = planned.volumes.filter((v) => ids.includes(v.id));
  const guarded = volumes.every((v) => v.guarded);
  const act = (change: (layout: Layout) => Edited, gone = false): void => {
    const result = edit(id, change);
    if (result?.ok && gone) look({ selected: undefined });
  };
  return (
    <section className={styles.form} aria-label="Volumes in hand">
      <div className={styles.formHead}>
        <h2>{`${volumes.length} volumes in hand`}</h2>
        <span>{size(volumes.reduce((sum, v) => sum + v.length, 0))}</span>
      </div>
      <ul className={styles.several}>
        {volumes.map((v) => (
          <li key={v.id}>
            {v.letter ? <LetterChip letter={v.letter} role={v.role} /> : null}
            <span>{v.label || nameOf(v)}</span>
            {v.guarded ? <LockOutlined aria-label="guarded" /> : null}
            <span>{size(v.length)}</span>
          </li>
        ))}
      </ul>
      {refusal ? (
        <p className={styles.refusal} role="alert">
          {refusal.reason}
        </p>
      ) : null}
      <div className={styles.actions}>
        <Button size="small" disabled={readOnly} onClick={() => act((layout) => equalShares(layout, bounds, ids))}>
          Equal shares
        </Button>
        <Button
          size="small"
          icon={guarded ? <UnlockOutlined aria-hidden /> : <LockOutlined aria-hidden />}
          disabled={readOnly}
          onClick={() => act((layout) => guardSeveral(layout, ids, !guarded))}
        >
          {guarded ? 'Lift guards' : 'Guard'}
        </Button>
        <Button
          size="small"
          danger
          icon={<DeleteOutlined aria-hidden />}
          disabled={readOnly}
          onClick={() => act((layout) => removeSeveral(layout, ids), true)}
        >
          Remove
        </Button>
        <Button size="small" type="text" onClick={() => look({ selected: ids[0] })}>
          Only the first
        </Button>
      </div>
    </section>
  );
}
