'use client';

import { changesBetween, nameOf, type ChangedVolume } from '@/core/layout';
import type { Plan } from '@/core/plan';
import { changeWords, freeThen, isMended } from '@/core/report';
import { useBench, type Current } from '@/state';
import { Table, type TableColumnsType } from 'antd';
import { LetterChip, useSizes } from '../kit';
import styles from './review.module.css';

/** Every volume before and after, and what happens to it, in one look. */
export function BeforeAfter({ current, plan }: { readonly current: Current; readonly plan: Plan }) {
  const size = useSizes();
  const units = useBench((s) => s.units);
  const { now, history } = current.job!;
  const planned = history.present;
  const { volumes: rows } = changesBetween(now, planned);
  const free = (row: ChangedVolume): string => size(freeThen(current.disk.survey!, plan, row.is!));
  const columns: TableColumnsType<ChangedVolume> = [
    {
      title: 'Volume',
      render: (_, { was, is }) => {
        const volume = (is ?? was)!;
        return (
          <span className={styles.volume}>
            {volume.letter ? <LetterChip letter={volume.letter} role={volume.role} /> : null}
            {volume.label || nameOf(volume)}
          </span>
        );
      },
    },
    { title: 'Now', align: 'right', render: (_, { was }) => (was ? size(was.length) : 'not there') },
    { title: 'Planned', align: 'right', render: (_, { is }) => (is ? size(is.length) : 'gone') },
    { title: 'Free afterwards', align: 'right', render: (_, row) => (row.is ? free(row) : '') },
    {
      title: 'What happens',
      render: (_, row) =>
        changeWords(row, planned, isMended(row, planned, current.disk.survey!), plan, units).join(', '),
    },
  ];
  return (
    <>
      <h2>Before and after</h2>
      <Table<ChangedVolume> size="small" rowKey="id" columns={columns} dataSource={[...rows]} pagination={false} />
    </>
  );
}
