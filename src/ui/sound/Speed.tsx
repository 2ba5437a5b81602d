'use client';

import type { Measured, SpeedResult } from '@/core/health';
import dynamic from 'next/dynamic';
import { spaced } from '@/core/size';
import { dropSpeed, measureDisk, pauseTask, useBench, useHealth, useSpeeds, whenWords, type Current } from '@/state';
import { Button, Progress, Select, Table, type TableColumnsType } from 'antd';
import { useMemo, useState } from 'react';
import { fetchWhenIdle, useSizes } from '../kit';
import type { NamedSpeed } from './SpeedChart';
import styles from './sound.module.css';

const loadChart = () => import('./SpeedChart').then((m) => m.SpeedChart);
const SpeedChart = dynamic(loadChart, { ssr: false });
fetchWhenIdle(loadChart);

const MB = 1_000_000;
const rate = (bytesPerSecond: number): string => `${(bytesPerSecond / MB).toFixed(1)} MB/s`;

/** What was measured, so that nobody takes the one for the other. */
const MEASURED: Readonly<Record<Measured, string>> = {
  medium: 'the medium’s model of a practice disk',
  file: 'reading a file on this machine',
};

/** How fast the disk is read, beside what it was before and what others are. */
export function Speed({ current }: { readonly current: Current }) {
  const { id, disk } = current;
  const { speeds, task } = useHealth(id);
  const readOnly = useBench((s) => s.readOnly);
  const others = useSpeeds(id);
  const [beside, setBeside] = useState<readonly string[]>([]);
  const shown = useMemo<NamedSpeed[]>(
    () => [
      ...[...speeds].reverse().map((result) => ({ name: `${disk.stored.name}, ${when(result)}`, result })),
      ...others
        .filter((o) => beside.includes(o.id))
        .map(({ name, result }) => ({ name: `${name}, ${when(result)}`, result })),
    ],
    [speeds, others, beside, disk.stored.name],
  );
  const goes = task?.kind === 'speed';
  return (
    <div className={styles.speed}>
      <div className={styles.bar}>
        {goes ? (
          <>
            <Progress percent={Math.floor(task.share * 100)} aria-label="Measuring" />
            <Button onClick={() => void pauseTask(id)}>Stop</Button>
          </>
        ) : (
          <Button type="primary" disabled={readOnly || task !== undefined} onClick={() => void measureDisk(id)}>
            {speeds.length > 0 ? 'Measure again' : 'Measure how fast it is'}
          </Button>
        )}
        {others.length > 0 ? (
          <Select
            mode="multiple"
            className={styles.others}
            placeholder="Beside another disk"
            aria-label="Beside another disk"
            value={[...beside]}
            onChange={setBeside}
            options={others.map((o) => ({ value: o.id, label: o.name }))}
          />
        ) : null}
      </div>
      {shown.length > 0 ? (
        <>
          <SpeedChart speeds={shown} />
          <Measurements id={id} shown={shown} own={speeds} />
        </>
      ) : (
        <p className={styles.blank}>
          Nothing was measured yet. It reads from the start to the end, in blocks of several sizes, and at random;
          nothing is written. What was measured is kept with its date, so that next month’s can be compared.
        </p>
      )}
    </div>
  );
}

const when = ({ taken }: SpeedResult): string => whenWords(taken);
const meanOf = ({ course }: SpeedResult): number =>
  course.reduce((sum, c) => sum + c.bytesPerSecond, 0) / Math.max(1, course.length);

interface MeasurementsProps {
  readonly id: string;
  readonly shown: readonly NamedSpeed[];
  readonly own: readonly SpeedResult[];
}

function Measurements({ id, shown, own }: MeasurementsProps) {
  const size = useSizes();
  const block =
    (bytes: number) =>
    (_: unknown, { result }: NamedSpeed) => {
      const found = result.blocks.find((b) => b.size === bytes);
      return found ? rate(found.bytesPerSecond) : '';
    };
  const columns: TableColumnsType<NamedSpeed> = [
    { title: 'Measured', render: (_, { name, result }) => `${name}: ${MEASURED[result.measured]}` },
    { title: 'On average', align: 'right', width: 110, render: (_, { result }) => rate(meanOf(result)) },
    { title: size(4096), align: 'right', width: 100, render: block(4096) },
    { title: size(4096 * 256), align: 'right', width: 100, render: block(4096 * 256) },
    {
      title: 'At random',
      align: 'right',
      width: 120,
      render: (_, { result }) => `${spaced(Math.round(result.random.readsPerSecond))} reads/s`,
    },
    { title: 'Failed', align: 'right', width: 80, render: (_, { result }) => (result.failed > 0 ? result.failed : '') },
    {
      title: '',
      width: 90,
      render: (_, { result }) =>
        own.includes(result) ? (
          <Button
            size="small"
            aria-label={`Forget what was measured ${when(result)}`}
            onClick={() => void dropSpeed(id, result.taken)}
          >
            Forget
          </Button>
        ) : null,
    },
  ];
  return (
    <Table
      size="small"
      rowKey={({ name, result }) => `${name} ${result.taken}`}
      columns={columns}
      dataSource={[...shown]}
      pagination={false}
    />
  );
}
