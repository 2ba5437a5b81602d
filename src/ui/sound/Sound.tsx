'use client';

import { look, useBench, type Current, type LookTab } from '@/state';
import { Segmented } from 'antd';
import type { ReactNode } from 'react';
import { Findings } from './Findings';
import { LostVolumes } from './LostVolumes';
import { Scan } from './Scan';
import { Speed } from './Speed';
import styles from './sound.module.css';

const TABS: readonly { readonly value: LookTab; readonly label: string }[] = [
  { value: 'volumes', label: 'Volumes' },
  { value: 'scan', label: 'Scan' },
  { value: 'speed', label: 'Speed' },
  { value: 'findings', label: 'Findings' },
  { value: 'lost', label: 'Lost volumes' },
];

const HEADS: Readonly<Record<Exclude<LookTab, 'volumes'>, readonly [string, string]>> = {
  scan: [
    'How sound is it?',
    'Read from top to bottom. The thread is as thick as the disk was fast; it breaks where it can’t be read.',
  ],
  speed: ['How fast is it?', 'From its start to its end, over what it was before and what others are.'],
  findings: ['What was found', 'Every file system is checked against itself, and the table against the disk.'],
  lost: ['What was on it?', 'Volumes that no entry of the table names any more.'],
};

/** Look in its parts: the volumes, and how sound the disk is. */
export function Sound({ current, volumes }: { readonly current: Current; readonly volumes: ReactNode }) {
  const tab = useBench((s) => s.tab);
  const tabs = (
    <Segmented<LookTab>
      value={tab}
      onChange={(value) => look({ tab: value })}
      options={[...TABS]}
      aria-label="Look at"
    />
  );
  if (tab === 'volumes')
    return (
      <div className={styles.page}>
        {tabs}
        {volumes}
      </div>
    );
  const [title, sub] = HEADS[tab];
  return (
    <div className={styles.page}>
      <header>
        <h1>{title}</h1>
        <p>{sub}</p>
      </header>
      {tabs}
      {tab === 'scan' ? <Scan current={current} /> : null}
      {tab === 'speed' ? <Speed current={current} /> : null}
      {tab === 'findings' ? <Findings current={current} /> : null}
      {tab === 'lost' ? <LostVolumes current={current} /> : null}
    </div>
  );
}
