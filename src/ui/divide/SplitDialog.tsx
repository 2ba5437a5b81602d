'use client';

import { makeableKinds } from '@/core/fs';
import { newVolumeSpec, shareOut } from '@/core/goal';
import {
  boundOf,
  endOf,
  gapsOf,
  letterFault,
  nameOf,
  refuse,
  splitVolume,
  type Bounds,
  type LaidVolume,
  type Layout,
  type NewVolume,
} from '@/core/layout';
import { ceilTo, formatSize, MIB, typedSize } from '@/core/size';
import { isCoreError } from '@/core/errors';
import { ask, edit } from '@/state';
import { CloseOutlined } from '@ant-design/icons';
import { Alert, Button, Input, Modal, Select } from 'antd';
import { useMemo, useState } from 'react';
import { useSizes } from '../kit';
import styles from './divide.module.css';

interface Props {
  readonly id: string;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly volume: LaidVolume;
}

/** One part as it is typed. The first one is the volume itself. */
interface Row {
  readonly size: string;
  readonly fileSystem: string;
  readonly label: string;
  readonly letter: string;
  readonly clusterSize: number;
}

const LETTERS = [...'CDEFGHIJKLMNOPQRSTUVWXYZAB'];

/** The length of a volume and the unallocated space right behind it. */
function wholeOf(planned: Layout, volume: LaidVolume): number {
  const end = endOf(volume);
  const gap = gapsOf(planned).find((g) => g.start >= end && g.start - end < MIB);
  return (gap?.end ?? end) - volume.start;
}

/** A split into any number of parts, each with everything about it in one row. Shares, sizes and “rest” are understood. */
export function SplitDialog(props: Props) {
  return (
    <Modal
      open
      onCancel={() => ask()}
      footer={null}
      width={860}
      title={`Split ${nameOf(props.volume)}`}
      destroyOnHidden
    >
      <SplitForm key={props.volume.id} {...props} />
    </Modal>
  );
}

function SplitForm({ id, planned, bounds, volume }: Props) {
  const size = useSizes();
  const whole = wholeOf(planned, volume);
  const part = (letters: readonly string[], share: string): Row => {
    const like = newVolumeSpec(whole / 3, planned.sectorSize, volume.fileSystem);
    const letter = LETTERS.find((l) => !letters.includes(l) && letterFault(planned, volume.id, l) === undefined);
    return { size: share, fileSystem: like.fileSystem, label: '', letter: letter ?? '', clusterSize: 0 };
  };
  const [rows, setRows] = useState<Row[]>(() => {
    // Thirds are proposed where the volume can be as small as that; else it keeps what it needs, and something more.
    const floor = boundOf(volume, bounds)?.floor ?? 0;
    const tight = floor > whole / 3;
    const first: Row = {
      size: tight ? typedSize(ceilTo(Math.min(whole * 0.9, floor * 1.1), MIB)) : '1/3',
      fileSystem: volume.fileSystem,
      label: volume.label,
      letter: volume.letter ?? '',
      clusterSize: 0,
    };
    const second = part([first.letter], tight ? 'rest' : '1/3');
    return [first, second, part([first.letter, second.letter], 'rest')];
  });
  const change = (i: number, row: Partial<Row>): void =>
    setRows(rows.map((r, at) => (at === i ? { ...r, ...row } : r)));
  const result = useMemo(() => splitFrom(planned, bounds, volume, whole, rows), [planned, bounds, volume, whole, rows]);
  const sizes = result.sizes;
  return (
    <div className={styles.split}>
      <p
        className={styles.sub}
      >{`${size(whole)} to share out. Sizes, shares like 1/3 or 25 %, floor and rest are understood.`}</p>
      <table className={styles.parts}>
        <thead>
          <tr>
            <th>Part</th>
            <th>Size</th>
            <th>File system</th>
            <th>Cluster size</th>
            <th>Label</th>
            <th>Letter</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={i}>
              <td>{i === 0 ? `${nameOf(volume)}, kept` : `new ${i}`}</td>
              <td>
                <Input
                  aria-label={`Size of part ${i + 1}`}
                  value={row.size}
                  suffix={<span className={styles.exact}>{sizes[i] === undefined ? '' : size(sizes[i])}</span>}
                  onChange={(e) => change(i, { size: e.target.value })}
                />
              </td>
              <td>
                {i === 0 ? (
                  <span className={styles.exact}>as it is</span>
                ) : (
                  <Select
                    aria-label={`File system of part ${i + 1}`}
                    style={{ width: '100%' }}
                    value={row.fileSystem}
                    onChange={(fileSystem: string) => change(i, { fileSystem, clusterSize: 0 })}
                    options={makeableKinds().map((k) => ({
                      value: k.kind,
                      label: k.title,
                      disabled: k.clusterSizes(sizes[i] ?? 0, planned.sectorSize).length === 0,
                    }))}
                  />
                )}
              </td>
              <td>
                {i === 0 ? null : (
                  <Select
                    aria-label={`Cluster size of part ${i + 1}`}
                    style={{ width: '100%' }}
                    value={row.clusterSize}
                    onChange={(clusterSize: number) => change(i, { clusterSize })}
                    options={[
                      { value: 0, label: 'as usual' },
                      ...(
                        makeableKinds()
                          .find((k) => k.kind === row.fileSystem)
                          ?.clusterSizes(sizes[i] ?? 0, planned.sectorSize) ?? []
                      ).map((value) => ({ value, label: formatSize(value) })),
                    ]}
                  />
                )}
              </td>
              <td>
                {i === 0 ? (
                  <span className={styles.exact}>{row.label}</span>
                ) : (
                  <Input
                    aria-label={`Label of part ${i + 1}`}
                    value={row.label}
                    onChange={(e) => change(i, { label: e.target.value })}
                  />
                )}
              </td>
              <td>
                {i === 0 ? (
                  <span className={styles.exact}>{row.letter}</span>
                ) : (
                  <Select
                    aria-label={`Letter of part ${i + 1}`}
                    style={{ width: 64 }}
                    value={row.letter}
                    onChange={(letter: string) => change(i, { letter })}
                    options={[
                      { value: '', label: 'none' },
                      ...LETTERS.map((letter) => ({
                        value: letter,
                        label: letter,
                        disabled:
                          letterFault(planned, volume.id, letter) !== undefined ||
                          rows.some((r, at) => at !== i && r.letter === letter),
                      })),
                    ]}
                  />
                )}
              </td>
              <td>
                {rows.length > 2 && i > 0 ? (
                  <Button
                    icon={<CloseOutlined aria-hidden />}
                    size="small"
                    aria-label={`Take part ${i + 1} out`}
                    onClick={() => setRows(rows.filter((_, at) => at !== i))}
                  />
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className={styles.splitFoot}>
        <Button
          disabled={rows.length >= 16}
          onClick={() =>
            setRows([
              ...rows,
              part(
                rows.map((r) => r.letter),
                'rest',
              ),
            ])
          }
        >
          One more
        </Button>
        <Button onClick={() => setRows(rows.map((r) => ({ ...r, size: `1/${rows.length}` })))}>Equal shares</Button>
        <span />
        <Button
          type="primary"
          disabled={!result.edited.ok}
          onClick={() => {
            edit(id, () => result.edited);
            ask();
          }}
        >
          {`Split in ${rows.length}`}
        </Button>
      </div>
      {result.edited.ok ? null : <Alert type="warning" showIcon title={result.edited.reason} />}
    </div>
  );
}

/** The split that rows ask for. */
function splitFrom(planned: Layout, bounds: Bounds, volume: LaidVolume, whole: number, rows: readonly Row[]) {
  const floor = boundOf(volume, bounds)?.floor ?? 0;
  let sizes: readonly number[] = [];
  try {
    sizes = shareOut(
      rows.map((row) => row.size),
      { whole, current: volume.length, floor },
    );
  } catch (error) {
    if (!isCoreError(error)) throw error;
    return { sizes, edited: refuse('split.sizes', { fault: error.message }) };
  }
  const parts = rows.slice(1).map((row, i): NewVolume => ({
    size: sizes[i + 1]!,
    fileSystem: row.fileSystem,
    label: row.label,
    role: 'data',
    letter: row.letter,
    ...(row.clusterSize ? { clusterSize: row.clusterSize } : {}),
  }));
  return { sizes, edited: splitVolume(planned, bounds, volume.id, { keep: sizes[0]!, parts }) };
}
