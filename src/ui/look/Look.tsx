'use client';

import { knownInfo, type SurveyedVolume } from '@/core/inspect';
import { formatBytes, formatSize, spaced } from '@/core/size';
import { look, mediumWords, useBench, type Current } from '@/state';
import { Alert, Button, Table, type TableColumnsType } from 'antd';
import { useState } from 'react';
import { Contents } from '../contents';
import { diskMark } from '@/core/table';
import { Facts, LetterChip, MiniColumn, ROLE_WORDS, useSizes } from '../kit';
import styles from './look.module.css';

/** Which disk is it really: identity, volumes, findings, contents. */
export function Look({ current }: { readonly current: Current }) {
  const size = useSizes();
  const { disk, job } = current;
  const survey = disk.survey!;
  const selected = useBench((s) => s.selected);
  const { origin } = job!.now.volumes.find((v) => v.id === selected) ?? {};
  const wanted = origin?.kind === 'kept' ? origin.number : undefined;
  const [number, setNumber] = useState(
    () => wanted ?? survey.volumes.filter((v) => knownInfo(v)).sort((a, b) => b.files - a.files)[0]?.number,
  );
  const volume = survey.volumes.find((v) => v.number === number);
  const now = job!.now;
  const letterOf = (v: SurveyedVolume) =>
    now.volumes.find((w) => w.origin.kind === 'kept' && w.origin.number === v.number);
  const { source } = disk.stored;

  const columns: TableColumnsType<SurveyedVolume> = [
    {
      title: '',
      width: 44,
      render: (_, v) =>
        letterOf(v)?.letter ? <LetterChip letter={letterOf(v)!.letter!} role={letterOf(v)!.role} /> : null,
    },
    { title: 'Label', render: (_, v) => knownInfo(v)?.label || '(none)' },
    { title: 'Role', width: 90, render: (_, v) => ROLE_WORDS[letterOf(v)?.role ?? v.role] },
    {
      title: 'File system',
      width: 130,
      render: (_, v) => `${knownInfo(v)?.title ?? v.recognised?.title ?? 'not known'}${v.fault ? ', damaged' : ''}`,
    },
    { title: 'Size', align: 'right', width: 100, render: (_, v) => size(v.length) },
    { title: 'In use', align: 'right', width: 100, render: (_, v) => (knownInfo(v) ? size(knownInfo(v)!.used) : '') },
    { title: 'Floor', align: 'right', width: 100, render: (_, v) => (v.limits ? size(v.limits.floor.bytes) : '') },
    { title: 'Files', align: 'right', width: 80, render: (_, v) => (knownInfo(v) ? spaced(v.files) : '') },
  ];
  const findings = [...survey.findings, ...survey.volumes.flatMap((v) => v.findings)];
  return (
    <div className={styles.page}>
      <div className={styles.head}>
        <MiniColumn layout={now} survey={survey} width={56} height={150} />
        <div className={styles.identity}>
          <h1>{disk.stored.name}</h1>
          <Facts
            items={[
              ['Printed on the box', formatSize(survey.size, 'decimal')],
              ['Shown by the system', formatSize(survey.size)],
              ['Exactly', formatBytes(survey.size)],
              [
                'Medium',
                source.kind === 'practice'
                  ? [mediumWords(disk.stored), source.recipe.model].filter(Boolean).join(', ')
                  : `image ${source.fingerprint.name}`,
              ],
              ['Table', survey.table === 'none' ? 'none' : survey.table.toUpperCase()],
              ['The disk’s own number', diskMark(survey.partitions) || 'none'],
              ['Sectors', `${survey.sectorSize} bytes`],
              ['Unallocated', size(survey.unallocated.reduce((sum, g) => sum + g.end - g.start, 0))],
            ]}
          />
        </div>
        <Button type="primary" onClick={() => look({ stage: 'divide' })}>
          Divide this disk
        </Button>
      </div>
      {findings.map((finding, i) => (
        <Alert key={i} type={finding.severity} title={finding.message} showIcon className={styles.finding} />
      ))}
      <Table<SurveyedVolume>
        size="small"
        rowKey="number"
        columns={columns}
        dataSource={survey.volumes}
        pagination={false}
        locale={{ emptyText: 'No volume on this disk yet.' }}
        rowClassName={(v) => (v.number === number ? styles.chosen! : '')}
        onRow={(v) => ({ onClick: () => knownInfo(v) && setNumber(v.number) })}
      />
      {volume && knownInfo(volume) ? (
        <Contents
          key={`${current.id}-${volume.number}`}
          diskId={current.id}
          volume={volume}
          role={letterOf(volume)?.role ?? volume.role}
        />
      ) : null}
    </div>
  );
}
