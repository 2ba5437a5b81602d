'use client';

import { findKind } from '@/core/fs';
import { usedOf } from '@/core/goal';
import { volumeNumbered } from '@/core/inspect';
import { changesBetween, nameOf, type ChangedVolume, type LaidVolume } from '@/core/layout';
import type { Current } from '@/state';
import { Table, type TableColumnsType } from 'antd';
import { LetterChip, useSizes } from '../kit';
import styles from './review.module.css';

/** Every volume before and after, and what happens to it, in one look. */
export function BeforeAfter({ current }: { readonly current: Current }) {
  const size = useSizes();
  const { now, history } = current.job!;
  const planned = history.present;
  const { volumes: rows } = changesBetween(now, planned);
  const free = (v: LaidVolume): string => size(v.length - usedOf(current.disk.survey!, v));
  /** Whether something of it is mended first. */
  const isMended = ({ was }: ChangedVolume): boolean => {
    if (!planned.mend || was?.origin.kind !== 'kept') return false;
    return (volumeNumbered(current.disk.survey!, was.origin.number)?.seen?.mends.length ?? 0) > 0;
  };
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
    { title: 'Free afterwards', align: 'right', render: (_, { is }) => (is ? free(is) : '') },
    { title: 'What happens', render: (_, row) => whatHappens(row, size, isMended(row)).join(', ') },
  ];
  return (
    <>
      <h2>Before and after</h2>
      <Table<ChangedVolume> size="small" rowKey="id" columns={columns} dataSource={[...rows]} pagination={false} />
    </>
  );
}

function whatHappens({ was, is, what }: ChangedVolume, size: (bytes: number) => string, mended: boolean): string[] {
  const title = is ? (findKind(is.fileSystem)?.title ?? is.knownAs ?? 'content not known') : '';
  const by = was && is ? { length: is.length - was.length, start: is.start - was.start } : { length: 0, start: 0 };
  const words: Readonly<Record<ChangedVolume['what'][number], () => string>> = {
    made: () => `made as ${title}`,
    found: () => 'put back where it was found',
    copied: () => (is?.origin.kind === 'copy' ? `copied from ${is.origin.name} of ${is.origin.diskName}` : 'copied'),
    removed: () => 'removed',
    formatted: () => `formatted as ${title}`,
    shrunk: () => `gives ${size(-by.length)}`,
    grown: () => `gains ${size(by.length)}`,
    moved: () => `moved ${size(Math.abs(by.start))} ${by.start < 0 ? 'earlier' : 'later'}`,
    labelled: () => (is!.label ? `labelled ${is!.label}` : 'label taken away'),
    lettered: () => (is!.letter ? `letter ${is!.letter}` : 'no letter'),
    activated: () => (is!.active ? 'made active' : 'made inactive'),
    placed: () => (is!.logical ? 'becomes logical' : 'becomes primary'),
    marked: () => (is!.flags.length > 0 ? `marked ${is!.flags.join(', ')}` : 'marks taken away'),
  };
  const happens = [...(mended ? ['mended'] : []), ...what.map((one) => words[one]())];
  return happens.length > 0 ? happens : ['stays as it is'];
}
