'use client';

import { laidFrom, type SurveyedVolume } from '@/core/inspect';
import { nameOf, newTable, putBack, type Edited, type Layout } from '@/core/layout';
import { spaced } from '@/core/size';
import { edit, findVolumes, look, pauseTask, useBench, useBounds, useHealth, type Current } from '@/state';
import { Alert, Button, Progress, Table, type TableColumnsType } from 'antd';
import { useState } from 'react';
import { Contents } from '../contents';
import { useSizes } from '../kit';
import styles from './sound.module.css';

/** Volumes that no entry of the table names: found, looked into, and put back by an edit of the plan. */
export function LostVolumes({ current }: { readonly current: Current }) {
  const { id, disk, job } = current;
  const survey = disk.survey!;
  const planned = job!.history.present;
  const bounds = useBounds(disk);
  const size = useSizes();
  const { task } = useHealth(id);
  const readOnly = useBench((s) => s.readOnly);
  const refusal = useBench((s) => s.refusal);
  const [number, setNumber] = useState<number>();
  const { lost } = survey;
  const inHand = lost?.find((v) => v.number === number);
  const goes = task?.kind === 'find';
  const isBack = (v: SurveyedVolume): boolean => planned.volumes.some((p) => p.id === laidFrom(v).id);
  const back = (volumes: readonly SurveyedVolume[], table?: 'mbr' | 'gpt'): void => {
    const result = edit(id, (layout) => allBack(layout, bounds, volumes, table));
    if (result?.ok) look({ stage: 'divide', selected: laidFrom(volumes[0]!).id });
  };
  const columns: TableColumnsType<SurveyedVolume> = [
    { title: 'Label', render: (_, v) => v.info?.label || '(none)' },
    { title: 'File system', width: 110, render: (_, v) => v.info?.title },
    { title: 'Begins at', align: 'right', width: 110, render: (_, v) => size(v.start) },
    { title: 'Size', align: 'right', width: 100, render: (_, v) => size(v.length) },
    { title: 'Files', align: 'right', width: 90, render: (_, v) => spaced(v.files) },
    { title: 'Whole', align: 'right', width: 90, render: (_, v) => spaced(v.lost!.whole) },
    {
      title: 'To be mended',
      render: (_, v) => [...new Set(v.seen?.mends.map((m) => m.what))].join(', ') || 'nothing',
    },
    {
      title: '',
      width: 200,
      render: (_, v) => (
        <span className={styles.buttons}>
          <Button size="small" onClick={() => setNumber(v.number)}>
            Look into
          </Button>
          <Button size="small" disabled={readOnly || isBack(v) || planned.table === 'none'} onClick={() => back([v])}>
            {isBack(v) ? 'Planned' : 'Put back'}
          </Button>
        </span>
      ),
    },
  ];
  const missing = lost?.filter((v) => !isBack(v)) ?? [];
  return (
    <div className={styles.findings}>
      <div className={styles.bar}>
        {goes ? (
          <>
            <Progress percent={Math.floor(task.share * 100)} aria-label="Search" />
            <Button onClick={() => void pauseTask(id)}>Stop</Button>
          </>
        ) : (
          <Button
            type={lost ? 'default' : 'primary'}
            disabled={task !== undefined}
            onClick={() => void findVolumes(id)}
          >
            {lost ? 'Search again' : 'Search what no volume names'}
          </Button>
        )}
        {missing.length > 0 && planned.table === 'none' ? (
          <>
            <Button disabled={readOnly} onClick={() => back(missing, 'gpt')}>
              Put all into a new GUID table
            </Button>
            <Button disabled={readOnly} onClick={() => back(missing, 'mbr')}>
              Put all into a new master boot record
            </Button>
          </>
        ) : null}
      </div>
      {refusal ? <Alert type="warning" showIcon title={refusal.reason} /> : null}
      {!lost && !goes ? (
        <p className={styles.blank}>
          Every sector that belongs to no volume is asked whether one begins there, or has a copy of its beginning
          there. What is found can be looked into and saved from, and is put back by an edit of the plan.
        </p>
      ) : null}
      {lost?.length === 0 ? <p>No volume was found where the table names none.</p> : null}
      {lost && lost.length > 0 ? (
        <Table<SurveyedVolume>
          size="small"
          rowKey="number"
          columns={columns}
          dataSource={[...lost]}
          pagination={false}
        />
      ) : null}
      {inHand ? <Contents key={`${id}-${inHand.number}`} diskId={id} volume={inHand} role={inHand.role} /> : null}
    </div>
  );
}

/** Puts volumes back one after the other, into a new table where the disk has none; the first that can't be refuses. */
function allBack(
  layout: Layout,
  bounds: Parameters<typeof putBack>[1],
  volumes: readonly SurveyedVolume[],
  table: 'mbr' | 'gpt' | undefined,
): Edited {
  let result: Edited = table ? newTable(layout, table) : { ok: true, layout, name: '', notes: [] };
  for (const volume of volumes) {
    if (!result.ok) return result;
    result = putBack(result.layout, bounds, laidFrom(volume));
  }
  if (!result.ok || volumes.length === 1) return result;
  return { ...result, name: `Put back ${volumes.map((v) => nameOf(laidFrom(v))).join(', ')}` };
}
