'use client';

import { asVolumeId, type LaidVolume, type Layout } from '@/core/layout';
import { recipeFrom } from '@/core/practice';
import { formatSize, GIB, MIB } from '@/core/size';
import { addPractice, openFiles, useBench } from '@/state';
import { Alert, Button } from 'antd';
import { ExperimentOutlined, FolderOpenOutlined, FormOutlined } from '@ant-design/icons';
import { useState } from 'react';
import { Columns } from '../columns';
import { pickFiles } from './OpenImage';
import styles from './bench.module.css';

const SIZE = 238 * GIB;
const USED = 96 * GIB;
const NO_BOUNDS = new Map();

const volume = (id: string, start: number, length: number, more: Partial<LaidVolume>): LaidVolume => ({
  id: asVolumeId(id),
  origin: { kind: 'kept', number: 1 },
  start,
  length,
  fileSystem: 'ntfs',
  label: '',
  role: 'data',
  active: false,
  logical: false,
  flags: [],
  type: 7,
  guarded: false,
  ...more,
});

const layoutWith = (volumes: readonly LaidVolume[]): Layout => ({
  diskSize: SIZE,
  sectorSize: 512,
  table: 'gpt',
  volumes,
});
const system = { label: 'System', letter: 'C', role: 'system' } as const;
const NOW = layoutWith([volume('kept-1', MIB, SIZE - 2 * MIB, system)]);
const THEN = layoutWith([
  volume('kept-1', MIB, 120 * GIB, system),
  volume('new-1', 120 * GIB + MIB, 118 * GIB - 2 * MIB, { label: 'Data', letter: 'D', origin: { kind: 'new' } }),
]);
const usedOf = ({ origin }: LaidVolume): number => (origin.kind === 'new' ? 0 : USED);

/** A stick as they come to a bench, to try everything on. */
const PRACTICE = {
  name: 'Practice stick',
  medium: 'usb',
  size: '16 GB',
  table: 'mbr',
  volumes: [{ fileSystem: 'fat32', size: 'rest', used: '3 GiB', label: 'STICK', letter: 'E' }],
} as const;

/** The bench before anything is on it: what this is, in a picture, and three ways to begin. */
export function EmptyBench({ onDescribe }: { readonly onDescribe: () => void }) {
  const readOnly = useBench((s) => s.readOnly);
  const [busy, setBusy] = useState(false);
  const [fault, setFault] = useState<string>();
  const practise = (): void => {
    setBusy(true);
    const recipe = recipeFrom({ ...PRACTICE, volumes: [...PRACTICE.volumes] }, `described-${crypto.randomUUID()}`);
    addPractice(recipe)
      .catch((error: Error) => setFault(error.message))
      .finally(() => setBusy(false));
  };
  return (
    <div className={styles.empty}>
      <div className={styles.begin}>
        <h2>Divide a disk, and prove that every file is still there</h2>
        <p>
          A disk stands upright, filled to what is in use. You draw what it shall become; the order of the work, what is
          carried and how long it takes follow from that. Nothing is touched before you say so, and all of it can be put
          back.
        </p>
        <Button
          type="primary"
          size="large"
          block
          icon={<FolderOpenOutlined aria-hidden />}
          disabled={readOnly}
          onClick={() => void pickFiles(openFiles)}
        >
          Open a disk image, or drop one anywhere
        </Button>
        <Button size="large" block icon={<FormOutlined aria-hidden />} disabled={readOnly} onClick={onDescribe}>
          Describe a customer’s disk by hand
        </Button>
        <Button
          size="large"
          block
          icon={<ExperimentOutlined aria-hidden />}
          disabled={readOnly}
          loading={busy}
          onClick={practise}
        >
          Try it on a practice stick
        </Button>
        {fault ? <Alert type="error" showIcon title={fault} /> : null}
      </div>
      <div
        className={styles.picture}
        role="img"
        aria-label={`A disk of ${formatSize(SIZE)} with one volume, and the same disk with a system and a data volume`}
      >
        <div inert>
          <Columns usedOf={usedOf} now={NOW} planned={THEN} bounds={NO_BOUNDS} />
        </div>
      </div>
    </div>
  );
}
