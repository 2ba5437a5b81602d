'use client';

import { findKind } from '@/core/fs';
import { usedOf } from '@/core/goal';
import { nameOf, type LaidVolume } from '@/core/layout';
import type { Current } from '@/state';
import { Table, type TableColumnsType } from 'antd';
import { LetterChip, useSizes } from '../kit';
import styles from './review.module.css';

interface Row {
  readonly key: string;
  readonly was: LaidVolume | undefined;
  readonly is: LaidVolume | undefined;
}

/** Every volume before and after, and what happens to it, in one look. */
export function BeforeAfter({ current }: { readonly current: Current }) {
  const size = useSizes();
  const { now, history } = current.job!;
  const planned = history.present;
  const rows: Row[] = [
    ...planned.volumes.map((is) => ({ key: is.id, is, was: now.volumes.find((v) => v.id === is.id) })),
    ...now.volumes
      .filter((was) => !planned.volumes.some((v) => v.id === was.id))
      .map((was) => ({ key: was.id, was, is: undefined })),
  ];
  const free = (v: LaidVolume): string => size(v.length - usedOf(current.disk.survey!, v));
  const columns: TableColumnsType<Row> = [
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
    { title: 'Free afterwards', align: 'right', render: (_, { is }) => (is ? free(is) : '') },
    { title: 'What happens', render: (_, row) => whatHappens(row, size).join(', ') },
  ];
  return (
    <>
      <h2>Before and after</h2>
      <Table<Row> size="small" columns={columns} dataSource={rows} pagination={false} />
    </>
  );
}

function whatHappens({ was, is }: Row, size: (bytes: number) => string): string[] {
  if (!is) return ['removed'];
  const title = findKind(is.fileSystem)?.title ?? 'content not known';
  if (!was) return [`made as ${title}`];
  const out: string[] = [];
  if (is.format) out.push(`formatted as ${title}`);
  if (is.length < was.length) out.push(`gives ${size(was.length - is.length)}`);
  if (is.length > was.length) out.push(`gains ${size(is.length - was.length)}`);
  if (is.start !== was.start)
    out.push(`moved ${size(Math.abs(is.start - was.start))} ${is.start < was.start ? 'earlier' : 'later'}`);
  if (is.label !== was.label) out.push(is.label ? `labelled ${is.label}` : 'label taken away');
  if (is.letter !== was.letter) out.push(is.letter ? `letter ${is.letter}` : 'no letter');
  if (is.active !== was.active) out.push(is.active ? 'made active' : 'made inactive');
  return out.length > 0 ? out : ['stays as it is'];
}
