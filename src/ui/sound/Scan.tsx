'use client';

import { isWhole, sectorsIn, type ScanHit, type ScanRecord } from '@/core/health';
import { hitWords, scanDocument } from '@/core/job';
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
import { Button, Checkbox, Popconfirm, Progress } from 'antd';
import { downloadText, useSizes } from '../kit';
import { DiskColumn } from './DiskColumn';
import { HEIGHT, Thread } from './Thread';
import { hitPlace, volumeWords } from './words';
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
        <ScanState id={id} scan={scan} />
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

function ScanState({ id, scan }: { readonly id: string; readonly scan: ScanRecord | undefined }) {
  const size = useSizes();
  const { task } = useHealth(id);
  const readOnly = useBench((s) => s.readOnly);
  if (!scan)
    return (
      <section>
        <h2>Not scanned</h2>
        <Button type="primary" disabled={readOnly || task !== undefined} onClick={() => void scanDisk(id, true)}>
          Scan the disk
        </Button>
      </section>
    );
  const goes = task?.kind === 'scan';
  const whole = isWhole(scan);
  return (
    <section>
      <h2>{goes ? 'Scanning' : whole ? 'Scanned' : 'Paused'}</h2>
      <p aria-live="polite">{`${size(scan.done)} of ${size(scan.size)} read${goes ? leftWords(scan, task) : ''}`}</p>
      <Progress percent={Math.floor((scan.done / scan.size) * 100)} showInfo={false} aria-label="Scan" />
      {goes ? null : <p className={styles.measured}>{`${whenWords(scan.updated)}, ${agoWords(scan.updated)}`}</p>}
      <div className={styles.buttons}>
        {goes ? (
          <Button onClick={() => void pauseTask(id)}>Pause</Button>
        ) : whole ? (
          <Button disabled={readOnly || task !== undefined} onClick={() => void scanDisk(id, true)}>
            Scan again
          </Button>
        ) : (
          <Button type="primary" disabled={readOnly || task !== undefined} onClick={() => void scanDisk(id, false)}>
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
function leftWords({ done, size }: ScanRecord, { startedAt, from }: { startedAt: number; from: number }): string {
  const seconds = (Date.now() - startedAt) / 1000;
  if (seconds < 1 || done <= from) return '';
  return `, ${durationWords(((size - done) * seconds) / (done - from))} left`;
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
    const stretch = { start: 0, end: scan.done };
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
    return isWhole(scan) ? <p>Every sector can be read, and none was slow.</p> : null;
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
