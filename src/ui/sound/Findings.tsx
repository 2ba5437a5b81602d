'use client';

import type { Finding } from '@/core/errors';
import { laidFrom, type MendNote, type SurveyedVolume } from '@/core/inspect';
import { giveRoom, mendAll, mendNothing } from '@/core/layout';
import { checkAgain, edit, findMends, look, useBench, useHealth, whenWords, type Current } from '@/state';
import { Alert, Button } from 'antd';
import type { ReactNode } from 'react';
import styles from './sound.module.css';

/** What the checks found, by volume, with what mends it. */
export function Findings({ current }: { readonly current: Current }) {
  const { id, disk, job } = current;
  const survey = disk.survey!;
  const { task } = useHealth(id);
  const readOnly = useBench((s) => s.readOnly);
  const refusal = useBench((s) => s.refusal);
  const busy = task?.kind === 'mends';
  const planned = job!.history.present;
  const table = survey.table !== 'none' && survey.findings.some((f) => f.severity !== 'info');
  const mendable = table || survey.volumes.some((v) => (v.seen?.mends.length ?? 0) > 0);
  const nothing = survey.findings.length === 0 && survey.volumes.every((v) => v.findings.length === 0);
  const plan = (): void => {
    if (edit(id, (layout) => mendAll(layout, table))?.ok) look({ stage: 'review' });
  };
  const give = (v: SurveyedVolume): void => {
    const { size } = v.seen!.volume.info!;
    if (edit(id, (layout) => giveRoom(layout, laidFrom(v).id, size))?.ok) look({ stage: 'review' });
  };
  return (
    <div className={styles.findings}>
      <div className={styles.bar}>
        <Button disabled={task !== undefined} onClick={() => void checkAgain(id)}>
          Check again
        </Button>
        <Button disabled={task !== undefined || nothing} loading={busy} onClick={() => void findMends(id)}>
          Look for what can be mended
        </Button>
        {mendable ? (
          planned.mend ? (
            <Button disabled={readOnly} onClick={() => edit(id, mendNothing)}>
              Don’t mend
            </Button>
          ) : (
            <Button type="primary" disabled={readOnly} onClick={plan}>
              Plan the mending
            </Button>
          )
        ) : null}
        {disk.lookedAt ? <span className={styles.measured}>{`checked ${whenWords(disk.lookedAt)}`}</span> : null}
      </div>
      {nothing ? <p>The table and every volume that is known were checked, and nothing was found.</p> : null}
      <List title="The table" findings={survey.findings} mends={table ? TABLE_MEND : []} />
      {survey.volumes.map((v) => (
        <List key={v.number} title={titleOf(current, v)} findings={v.findings} mends={v.seen?.mends ?? []}>
          {isLonger(v) ? (
            <Button disabled={readOnly} onClick={() => give(v)}>
              Give it the room that it says it has
            </Button>
          ) : null}
        </List>
      ))}
      {refusal ? <Alert type="warning" showIcon title={refusal.reason} /> : null}
    </div>
  );
}

/** A volume that says that it has more than its place in the table. */
const isLonger = ({ seen, length }: SurveyedVolume): boolean =>
  seen?.mends.length === 0 && (seen.volume.info?.size ?? 0) > length;

const TABLE_MEND: readonly MendNote[] = [{ what: 'the partition table', from: 'the copy of it that is whole' }];

function titleOf({ job }: Current, { number, info, recognised }: SurveyedVolume): string {
  const volume = job!.now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number);
  const name = [volume?.letter, volume?.label].filter(Boolean).join(' ') || `Volume ${number}`;
  return `${name}, ${info?.title ?? recognised?.title ?? 'not known'}`;
}

interface ListProps {
  readonly title: string;
  readonly findings: readonly Finding[];
  readonly mends: readonly MendNote[];
  readonly children?: ReactNode;
}

function List({ title, findings, mends, children }: ListProps) {
  if (findings.length + mends.length === 0) return null;
  const told = [...new Map(mends.map((m) => [`${m.what} ${m.from}`, m])).values()];
  return (
    <section className={styles.found}>
      <h3>{title}</h3>
      {findings.map(({ severity, message, path }, i) => (
        <Alert key={i} type={severity} showIcon title={message} description={path} />
      ))}
      {told.map(({ what, from, unsure }) => (
        <p key={`${what} ${from}`}>
          {`Can be mended: ${what}, from ${from}. `}
          {unsure}
        </p>
      ))}
      {children}
      {findings.some((f) => f.severity === 'error') && mends.length === 0 && !children ? (
        <p>Nothing here has a second copy to be mended from. Its own system’s check may know more.</p>
      ) : null}
    </section>
  );
}
