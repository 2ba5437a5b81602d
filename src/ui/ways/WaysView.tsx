'use client';

import { waysTo, type Way } from '@/core/goal';
import { gapsOf, nameOf, volumeOf, type LaidVolume, type Layout, type VolumeId } from '@/core/layout';
import { durationWords, lossWords } from '@/core/plan';
import { GIB, MIB } from '@/core/size';
import { ask, edit, usePlanOptions, type Current } from '@/state';
import { Button, Empty, Segmented } from 'antd';
import { useMemo, useState } from 'react';
import { SizeInput, useSizes } from '../kit';
import { GhostColumn } from './GhostColumn';
import styles from './ways.module.css';

interface Props {
  readonly current: Current;
  readonly planned: Layout;
  readonly volume: LaidVolume;
  readonly wish: 'grow' | 'free';
}

/** What is asked for at first: a tenth of the disk, in round figures. */
function firstWish(diskSize: number): number {
  const unit = diskSize > 64 * GIB ? GIB : diskSize > GIB ? 256 * MIB : MIB;
  return Math.max(unit, Math.round(diskSize / 10 / unit) * unit);
}

/** A wish for room and the ways to it, side by side as columns that do not exist yet. Choosing one fills the plan. */
export function WaysView({ current, planned, volume, wish }: Props) {
  const survey = current.disk.survey!;
  const options = usePlanOptions(current);
  const [bytes, setBytes] = useState(() => firstWish(survey.size));
  const [fault, setFault] = useState<string>();
  const found = useMemo(
    () => waysTo(survey, planned, { kind: wish, id: volume.id, bytes }, options),
    [survey, planned, wish, volume.id, bytes, options],
  );
  const name = nameOf(volume);
  const take = (way: Way): void => {
    edit(current.id, () => ({ ok: true, layout: way.layout, name: way.name, notes: way.notes }));
    ask();
  };
  const lengthNow = volumeOf(planned, volume.id).length;
  const free = gapsOf(planned).reduce((sum, g) => sum + g.end - g.start, 0);
  return (
    <section className={styles.page} aria-label="Ways to the room that is wanted">
      <div className={styles.head}>
        <div>
          <h2>{wish === 'grow' ? `Make ${name} bigger` : `Unallocated space behind ${name}`}</h2>
          <p className={styles.sub}>
            Where the room can come from, the cheapest first. Nothing is touched by choosing.
          </p>
        </div>
        <Button onClick={() => ask()}>Back to the plan</Button>
      </div>
      <div className={styles.wish}>
        <Segmented<'grow' | 'free'>
          value={wish}
          onChange={(kind) => ask({ kind: 'ways', wish: kind })}
          options={[
            { value: 'grow', label: 'Bigger by' },
            { value: 'free', label: 'Unallocated' },
          ]}
        />
        <label className={styles.hidden} htmlFor="wish">
          How much
        </label>
        <div className={styles.size}>
          <SizeInput
            id="wish"
            bytes={bytes}
            context={{ whole: survey.size, rest: free, current: bytes, floor: 0 }}
            focus
            onSize={(size) => setBytes(Math.max(MIB, size))}
            onFault={setFault}
          />
        </div>
        {fault ? (
          <span className={styles.fault} role="alert">
            {fault}
          </span>
        ) : null}
        <Sum wish={wish} length={lengthNow} bytes={bytes} />
      </div>
      {found.ways.length === 0 ? (
        <Empty description={`There is no way to that here: ${found.none}`} />
      ) : (
        <ol className={styles.ways}>
          {found.ways.map((way) => (
            <WayColumn
              key={way.title}
              way={way}
              current={current}
              planned={planned}
              wanted={volume.id}
              onTake={() => take(way)}
            />
          ))}
        </ol>
      )}
    </section>
  );
}

function Sum({
  wish,
  length,
  bytes,
}: {
  readonly wish: 'grow' | 'free';
  readonly length: number;
  readonly bytes: number;
}) {
  const size = useSizes();
  return wish === 'grow' ? (
    <span className={styles.sub}>{`${size(length)} and ${size(bytes)} are ${size(length + bytes)}`}</span>
  ) : null;
}

interface WayProps {
  readonly way: Way;
  readonly current: Current;
  readonly planned: Layout;
  readonly wanted: VolumeId;
  readonly onTake: () => void;
}

function WayColumn({ way, current, planned, wanted, onTake }: WayProps) {
  const size = useSizes();
  const { total, loses } = way.plan;
  return (
    <li className={styles.way}>
      <h3>{way.title}</h3>
      <GhostColumn layout={way.layout} before={planned} survey={current.disk.survey!} wanted={wanted} />
      <dl className={styles.cost}>
        <div>
          <dt>carried</dt>
          <dd>{total.carries > 0 ? size(total.carries) : 'nothing'}</dd>
        </div>
        <div>
          <dt>expected</dt>
          <dd>{durationWords(total.seconds)}</dd>
        </div>
        <div>
          <dt>lost</dt>
          <dd className={loses.bytes > 0 ? styles.loss : undefined}>
            {loses.bytes > 0 ? lossWords(loses) : 'nothing'}
          </dd>
        </div>
      </dl>
      <ul className={styles.lines}>
        {way.costs.length === 0 ? <li>No other volume is touched.</li> : null}
        {way.costs.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
      <Button block onClick={onTake}>
        Take this way
      </Button>
    </li>
  );
}
