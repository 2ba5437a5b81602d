'use client';

import { knownInfo } from '@/core/inspect';
import type { LaidVolume } from '@/core/layout';
import { look, useBench, type BenchDisk } from '@/state';
import { Button, Table, type TableColumnsType } from 'antd';
import { useLayoutEffect, useRef, useState } from 'react';
import { ROLE_WORDS, ROLES, useSizes } from '../kit';
import { isFound } from './order';
import styles from './bench.module.css';

interface VolumeRow {
  readonly key: string;
  readonly disk: BenchDisk;
  readonly volume: NonNullable<BenchDisk['survey']>['volumes'][number];
  readonly laid: LaidVolume | undefined;
}

const titleOf = ({ volume }: VolumeRow): string => knownInfo(volume)?.title ?? volume.recognised?.title ?? 'not known';
const labelOf = ({ volume }: VolumeRow): string => knownInfo(volume)?.label || '(none)';
const roleOf = ({ volume, laid }: VolumeRow): LaidVolume['role'] => laid?.role ?? volume.role;
const unique = (values: readonly string[]) => [...new Set(values)].sort().map((value) => ({ value, text: value }));

/** Every volume of every disk, to be sorted and narrowed down; each leads to itself. */
export function VolumeTable({ disks, text }: { readonly disks: readonly BenchDisk[]; readonly text: string }) {
  const size = useSizes();
  const jobs = useBench((s) => s.jobs);
  const frame = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(400);
  useLayoutEffect(() => {
    const observer = new ResizeObserver(([entry]) => setHeight(Math.max(160, entry!.contentRect.height - 48)));
    observer.observe(frame.current!);
    return () => observer.disconnect();
  }, []);
  const rows = disks.flatMap((disk): VolumeRow[] =>
    (disk.survey?.volumes ?? []).map((volume) => ({
      key: `${disk.stored.id}-${volume.number}`,
      disk,
      volume,
      laid: jobs[disk.stored.id]?.now.volumes.find(
        ({ origin }) => origin.kind === 'kept' && origin.number === volume.number,
      ),
    })),
  );
  const shown = rows.filter((row) =>
    isFound(text, [row.disk.stored.name, labelOf(row), row.laid?.letter ? `${row.laid.letter}:` : '', titleOf(row)]),
  );
  const columns: TableColumnsType<VolumeRow> = [
    {
      title: 'Volume',
      sorter: (a, b) => labelOf(a).localeCompare(labelOf(b)),
      render: (_, row) => (
        <Button
          type="link"
          size="small"
          className={styles.link}
          onClick={() => look({ currentId: row.disk.stored.id, stage: 'look', tab: 'volumes', selected: row.laid?.id })}
        >
          {labelOf(row)}
        </Button>
      ),
    },
    {
      title: 'Letter',
      width: 80,
      sorter: (a, b) => (a.laid?.letter ?? '').localeCompare(b.laid?.letter ?? ''),
      render: (_, { laid }) => laid?.letter ?? '',
    },
    {
      title: 'Disk',
      sorter: (a, b) => a.disk.stored.name.localeCompare(b.disk.stored.name),
      filters: unique(disks.map((d) => d.stored.name)),
      onFilter: (value, { disk }) => disk.stored.name === value,
      render: (_, { disk }) => disk.stored.name,
    },
    {
      title: 'Role',
      width: 110,
      filters: ROLES.map((role) => ({ value: role, text: ROLE_WORDS[role] })),
      onFilter: (value, row) => roleOf(row) === value,
      render: (_, row) => ROLE_WORDS[roleOf(row)],
    },
    {
      title: 'File system',
      width: 150,
      filters: unique(rows.map(titleOf)),
      onFilter: (value, row) => titleOf(row) === value,
      render: (_, row) => `${titleOf(row)}${row.volume.fault ? ', damaged' : ''}`,
    },
    {
      title: 'Size',
      width: 110,
      align: 'right',
      sorter: (a, b) => a.volume.length - b.volume.length,
      render: (_, { volume }) => size(volume.length),
    },
    ...(['used', 'free'] as const).map((of) => ({
      title: of === 'used' ? 'In use' : 'Free',
      width: 110,
      align: 'right' as const,
      sorter: (a: VolumeRow, b: VolumeRow) => (knownInfo(a.volume)?.[of] ?? 0) - (knownInfo(b.volume)?.[of] ?? 0),
      render: (_: unknown, { volume }: VolumeRow) => (knownInfo(volume) ? size(knownInfo(volume)![of]) : ''),
    })),
  ];
  return (
    <div ref={frame} className={styles.table}>
      <Table<VolumeRow>
        size="small"
        rowKey="key"
        virtual
        scroll={{ x: 960, y: height }}
        columns={columns}
        dataSource={shown}
        pagination={false}
        locale={{ emptyText: 'No volume on the bench is called that.' }}
      />
    </div>
  );
}
