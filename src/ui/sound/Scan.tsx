'use client';

import { isWhole, sectorsIn, stretchOf, type ScanHit, type ScanRecord } from '@/core/health';
import { hitWords, scanDocument } from '@/core/inspect';
import { durationWords } from '@/core/plan';
import { spaced } from '@/core/size';
import {
  agoWords,
  dropScan,
  look,
  pauseTask,
  scanDisk,
  useBench,
  useHealth,
  whenWords,
  wish,
  type Current,
} from '@/state';
import { Button, Checkbox, Popconfirm, Progress, Select } from 'antd';
import { useState } from 'react';
import { downloadText, useSizes } from '../kit';
import { DiskColumn } from './DiskColumn';
import { partName, partsOf } from './parts';
import { HEIGHT, Thread } from './Thread';
import { hitPlace, readWords, volumeWords } from './words';
import styles from './sound.module.css';

const SHOWN = 60;

/** Every sector read: the thread, what can't be read and which files that hits, and what follows. */
export function Scan({ current }: { readonly current: Current }) {
  const { id, disk, job } = current;
  const { scan } = useHealth(id);
  const survey = disk.survey!;
  return (
    <div className={styles.scan}>
      <div className={styles.picture}>
        <DiskColumn layout={job!.now} survey={survey} height={HEIGHT} />
        {scan ? (
          <Thread layout={job!.now} scan={scan} />
        ) : (
          <p className={styles.blank}>
            Nothing was read yet. A scan reads every sector and writes nothing. Where one can’t be read it is tried
            again, and the file that lies on it is named.
          </p>
        )}
      </div>
      <aside className={styles.beside}>
        <ScanState current={current} scan={scan} />
        {scan ? <Found current={current} scan={scan} /> : null}
        <p className={styles.measured}>
          {disk.stored.source.kind === 'practice'
            ? 'Measured from the medium’s model: a practice disk.'
            : 'Measured by reading this file on this machine, which says nothing of the disk it is an image of.'}
        </p>
      </aside>
    </div>
  );
}

interface StateProps {
  readonly current: Current;
  readonly scan: ScanRecord | undefined;
}

function ScanState({ current: { id, job }, scan }: StateProps) {
  const size = useSizes();
  const { task } = useHealth(id);
  const readOnly = useBench((s) => s.readOnly);
  const parts = partsOf(job!.now, size);
  const [key, setKey] = useState('all');
  const chosen = parts.find((p) => p.key === key) ?? parts[0]!;
  const busy = readOnly || task !== undefined;
  const begin = (): void => void scanDisk(id, true, chosen.stretch);
  const choice = (
    <Select
      aria-label="What is read"
      value={chosen.key}
      disabled={busy}
      onChange={setKey}
      options={parts.map(({ key: value, name: label }) => ({ value, label }))}
      popupMatchSelectWidth={false}
      className={styles.part}
    />
  );
  if (!scan)
    return (
      <section>
        <h2>Not scanned</h2>
        {choice}
        <Button type="primary" disabled={busy} onClick={begin}>
          {chosen.stretch ? 'Scan this part' : 'Scan the disk'}
        </Button>
      </section>
    );
  const goes = task?.kind === 'scan';
  const whole = isWhole(scan);
  const { start, end } = stretchOf(scan);
  return (
    <section>
      <h2>{goes ? 'Scanning' : whole ? 'Scanned' : 'Paused'}</h2>
      {scan.stretch ? <p>{partName(parts, scan.stretch, size)}</p> : null}
      <p aria-live="polite">{`${readWords(scan, size)}${goes ? leftWords(scan, task) : ''}`}</p>
      <Progress percent={Math.floor(((scan.done - start) / (end - start)) * 100)} showInfo={false} aria-label="Scan" />
      {goes ? null : <p className={styles.measured}>{`${whenWords(scan.updated)}, ${agoWords(scan.updated)}`}</p>}
      {scan.rest ? <p className={styles.measured}>{`The rest as it was ${agoWords(scan.rest)}`}</p> : null}
      {goes || !whole ? null : choice}
      <div className={styles.buttons}>
        {goes ? (
          <Button onClick={() => void pauseTask(id)}>Pause</Button>
        ) : whole ? (
          <Button disabled={busy} onClick={begin}>
            {chosen.stretch ? 'Scan this part' : scan.stretch ? 'Scan the disk' : 'Scan again'}
          </Button>
        ) : (
          <Button type="primary" disabled={busy} onClick={() => void scanDisk(id, false)}>
            Go on
          </Button>
        )}
        <Popconfirm title="Forget what was read?" onConfirm={() => dropScan(id)}>
          <Button disabled={readOnly}>{goes ? 'Stop' : 'Forget'}</Button>
        </Popconfirm>
      </div>
    </section>
  );
}

/** What is left, by how fast it went since it was begun or gone on with. */
function leftWords(scan: ScanRecord, { startedAt, from }: { startedAt: number; from: number }): string {
  const seconds = (Date.now() - startedAt) / 1000;
  const { done } = scan;
  if (seconds < 1 || done <= from) return '';
  return `, ${durationWords(((stretchOf(scan).end - done) * seconds) / (done - from))} left`;
}

const places = (n: number): string => `${spaced(n)} place${n === 1 ? '' : 's'}`;

function Found({ current, scan }: { readonly current: Current; readonly scan: ScanRecord }) {
  const { disk, job } = current;
  const size = useSizes();
  const { faults, slow, sectorSize } = scan;
  const save = (): void => {
    const told = (hits: readonly ScanHit[]) =>
      hits.map(({ start, end, number, what, path }) => ({
        ...{ start, end, number, what: what ?? ('not known' as const) },
        ...(path === undefined ? {} : { path }),
      }));
    const stretch = scan.rest ? { start: 0, end: scan.size } : { start: stretchOf(scan).start, end: scan.done };
    const document = scanDocument({
      stretch,
      seconds: scan.seconds,
      sectorSize,
      faults: told(faults),
      slow: told(slow),
    });
    const lines = [
      ...document.faults.map((h) => `can’t be read: ${hitWords(h)}`),
      ...document.slow.map((h) => `slow: ${hitWords(h)}`),
    ];
    downloadText(`${disk.stored.name} scan.txt`, 'text/plain', `${lines.join('\n')}\n`);
  };
  if (faults.length + slow.length === 0)
    return isWhole(scan) ? (
      <p>{`Every sector ${scan.stretch ? 'of it ' : ''}can be read, and none was slow.`}</p>
    ) : null;
  return (
    <>
      <section>
        <h3>
          Can’t be read <small>{`${spaced(sectorsIn(faults, sectorSize))} sectors, ${places(faults.length)}`}</small>
        </h3>
        <ul className={styles.hits}>
          {faults.slice(0, SHOWN).map((hit) => (
            <li key={`${hit.start} ${hit.path ?? ''}`}>
              <i aria-hidden>×</i>
              <span>
                {hitPlace(hit)}
                <small>{`${size(hit.start)}, ${volumeWords(job!.now, hit)}`}</small>
              </span>
              <small>{`${spaced(sectorsIn([hit], sectorSize))} sectors`}</small>
            </li>
          ))}
        </ul>
        {faults.length > SHOWN ? <p>{`and ${spaced(faults.length - SHOWN)} more, in the list that is saved`}</p> : null}
        <Button size="small" onClick={save}>
          Save the list
        </Button>
      </section>
      <section>
        <h3>
          Slow <small>{`${spaced(sectorsIn(slow, sectorSize))} sectors, ${places(slow.length)}`}</small>
        </h3>
        <p>Read at a second or third attempt; nothing is lost there yet.</p>
      </section>
      <Follows current={current} />
    </>
  );
}

/** What a person does about a disk that fails. */
function Follows({ current: { id, job } }: { readonly current: Current }) {
  const readOnly = useBench((s) => s.readOnly);
  const own = useBench((s) => s.disks.find((d) => d.stored.id === id)?.survey);
  const spare = useBench((s) =>
    s.disks.find(
      ({ stored, survey, status }) =>
        stored.id !== id &&
        status === 'open' &&
        survey &&
        own &&
        survey.volumes.length === 0 &&
        survey.size >= own.size,
    ),
  );
  return (
    <section className={styles.follows}>
      <h3>What follows</h3>
      <p>
        Review warns before a plan meets these places, and a run stops clean where it does. Copying this disk to another
        one soon is the safe thing: a copy goes on past what can’t be read, and names every file that lost bytes.
      </p>
      <Checkbox
        checked={job?.wishes?.retireFailing ?? false}
        disabled={readOnly}
        onChange={(e) => wish(id, { retireFailing: e.target.checked })}
      >
        Take these places out of use in the plan
      </Checkbox>
      {spare ? (
        <Button onClick={() => look({ currentId: spare.stored.id, stage: 'divide', selected: undefined })}>
          {`Take ${spare.stored.name} in hand, to copy to it`}
        </Button>
      ) : null}
    </section>
  );
}
