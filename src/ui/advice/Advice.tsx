'use client';

import {
  adviseFileSystem,
  headroomAdvice,
  PURPOSE_WORDS,
  PURPOSES,
  usedOf,
  type FileFacts,
  type Purpose,
  type SpaceItem,
} from '@/core/goal';
import { findKind } from '@/core/fs';
import { formatVolume, nameOf, type LaidVolume, type Layout } from '@/core/layout';
import { spaced } from '@/core/size';
import { engine } from '@/engine';
import { ask, edit, type Current } from '@/state';
import { Alert, Button, Drawer, Progress, Select, Spin, Tag } from 'antd';
import dynamic from 'next/dynamic';
import { useEffect, useState } from 'react';
import { fetchWhenIdle, useSizes } from '../kit';
import styles from './advice.module.css';

const loadChart = () => import('./SlackChart').then((m) => m.SlackChart);
const SlackChart = dynamic(loadChart, { ssr: false });
fetchWhenIdle(loadChart);

interface Props {
  readonly current: Current;
  readonly planned: Layout;
  readonly volume: LaidVolume;
}

/** What speaks for and against the volume as it is planned: room, file system, cluster size, space by folder. */
export function Advice({ current, planned, volume }: Props) {
  return (
    <Drawer open onClose={() => ask()} size={560} title={`Advice on ${nameOf(volume)}`} destroyOnHidden>
      <AdviceBody key={volume.id} current={current} planned={planned} volume={volume} />
    </Drawer>
  );
}

/** Whose files count: the volume's own, or for a new one those meant to go there. */
interface Source {
  readonly number: number;
  readonly folder: string;
}

const NOTHING: Source = { number: 0, folder: '' };

function useFacts(id: string, { number, folder }: Source): FileFacts | undefined {
  const [facts, setFacts] = useState<{ key: string; facts: FileFacts }>();
  const key = `${id} ${number} ${folder}`;
  useEffect(() => {
    let live = true;
    if (number > 0) void engine('facts', id, number, folder).then((found) => live && setFacts({ key, facts: found }));
    return () => void (live = false);
  }, [id, number, folder, key]);
  return facts?.key === key ? facts.facts : undefined;
}

function AdviceBody({ current, planned, volume }: Props) {
  const survey = current.disk.survey!;
  const known = survey.volumes.filter((v) => v.info);
  const own = volume.origin.kind === 'kept' && !volume.format ? volume.origin.number : undefined;
  const isOwn = own !== undefined && known.some((v) => v.number === own);
  const main = [...known].sort((a, b) => b.files - a.files)[0]?.number ?? 0;
  const [source, setSource] = useState<Source>({ number: isOwn ? own : main, folder: '' });
  const whole = useFacts(current.id, { number: source.number, folder: '' });
  // Asked for a folder only; the whole volume is known already.
  const below = useFacts(current.id, source.folder === '' ? NOTHING : source);
  const facts = source.folder === '' ? whole : below;
  return (
    <div className={styles.body}>
      <Room current={current} volume={volume} facts={isOwn ? undefined : facts} folder={source.folder} />
      {isOwn ? null : (
        <div className={styles.row}>
          <label htmlFor="meant">Files meant for it</label>
          <Select
            id="meant"
            showSearch
            value={source.folder}
            onChange={(folder: string) => setSource({ ...source, folder })}
            options={[
              { value: '', label: 'all that is on the volume now' },
              ...(whole?.folders ?? []).map((f) => ({ value: f.path, label: f.path })),
            ]}
          />
        </div>
      )}
      <FileSystem current={current} planned={planned} volume={volume} facts={facts} own={isOwn} />
      {facts ? (
        <>
          <ClusterSize volume={volume} planned={planned} facts={facts} />
          <Space facts={whole ?? facts} volume={volume} />
        </>
      ) : known.length > 0 ? (
        <Spin description="Looking at the files" />
      ) : null}
    </div>
  );
}

interface RoomProps {
  readonly current: Current;
  readonly volume: LaidVolume;
  readonly facts: FileFacts | undefined;
  readonly folder: string;
}

/** Whether what is there, and what is to come, fits. */
function Room({ current, volume, facts, folder }: RoomProps) {
  const size = useSizes();
  const survey = current.disk.survey!;
  const used = usedOf(survey, volume);
  const warning = headroomAdvice(survey, volume);
  const fits = facts && facts.bytes <= volume.length;
  return (
    <section>
      <h3>Room</h3>
      {used > 0 ? (
        <>
          <Progress
            percent={Math.round((used / volume.length) * 100)}
            strokeColor="var(--accent)"
            aria-label="Share in use"
          />
          <p>{`${size(used)} of ${size(volume.length)} in use, ${size(volume.length - used)} headroom.`}</p>
          {warning ? (
            <Alert type="warning" showIcon title={warning} />
          ) : (
            <p className={styles.good}>That is enough for what comes.</p>
          )}
        </>
      ) : (
        <p>{`${size(volume.length)}, empty.`}</p>
      )}
      {facts && folder !== '' ? (
        <Alert
          type={fits ? 'info' : 'warning'}
          showIcon
          title={
            fits
              ? `${folder} is ${size(facts.bytes)} in ${spaced(facts.files)} files and fits, with ${size(volume.length - facts.bytes)} to spare.`
              : `${folder} is ${size(facts.bytes)} and does not fit: ${size(facts.bytes - volume.length)} too much.`
          }
        />
      ) : null}
    </section>
  );
}

interface FileSystemProps {
  readonly current: Current;
  readonly planned: Layout;
  readonly volume: LaidVolume;
  readonly facts: FileFacts | undefined;
  readonly own: boolean;
}

function FileSystem({ current, planned, volume, facts, own }: FileSystemProps) {
  const size = useSizes();
  const [purpose, setPurpose] = useState<Purpose>('this-computer');
  const advice = adviseFileSystem(purpose, {
    size: volume.length,
    sectorSize: planned.sectorSize,
    ...(facts?.largest ? { largestFile: facts.largest.bytes } : {}),
  });
  return (
    <section>
      <h3>File system</h3>
      <div className={styles.row}>
        <label htmlFor="purpose">Used by</label>
        <Select<Purpose>
          id="purpose"
          value={purpose}
          onChange={setPurpose}
          options={PURPOSES.map((value) => ({ value, label: PURPOSE_WORDS[value] }))}
        />
      </div>
      <ul className={styles.list}>
        {advice.map(({ kind, title, why, against }, i) => (
          <li key={kind}>
            <span>
              <strong>{title}</strong> {i === 0 ? <Tag>suits best</Tag> : null}
              {kind === volume.fileSystem ? <Tag>as planned</Tag> : null}
              <span className={styles.detail}>{why}</span>
              {against.map((line) => (
                <span key={line} className={styles.against}>
                  {line}
                </span>
              ))}
            </span>
            {!own && kind !== volume.fileSystem ? (
              <Button
                size="small"
                onClick={() => edit(current.id, (layout) => formatVolume(layout, volume.id, { fileSystem: kind }))}
              >
                {`Take ${title}`}
              </Button>
            ) : null}
          </li>
        ))}
      </ul>
      {facts?.largest ? (
        <p className={styles.detail}>
          {`Of ${spaced(facts.files)} files the largest is ${facts.largest.path} with ${size(facts.largest.bytes)}; the longest name has ${facts.longestName} characters.`}
        </p>
      ) : null}
    </section>
  );
}

interface ClusterProps {
  readonly volume: LaidVolume;
  readonly planned: Layout;
  readonly facts: FileFacts;
}

/** What each cluster size would waste behind the ends of these very files. */
function ClusterSize({ volume, planned, facts }: ClusterProps) {
  const size = useSizes();
  const kind = findKind(volume.fileSystem);
  const sizes = kind?.clusterSizes(volume.length, planned.sectorSize) ?? [];
  const shown = facts.slack.filter((s) => sizes.includes(s.clusterSize));
  const taken = volume.clusterSize ?? kind?.defaultClusterSize(volume.length, planned.sectorSize);
  const own = shown.find((s) => s.clusterSize === taken);
  if (shown.length === 0 || facts.files === 0) return null;
  return (
    <section>
      <h3>Cluster size</h3>
      <p>
        {own
          ? `With ${size(own.clusterSize)} clusters, ${size(own.bytes)} behind the ends of these files stay unused. `
          : ''}
        Smaller clusters waste less; larger ones make a shorter map and fewer pieces, which suits large files.
      </p>
      <SlackChart slack={shown} taken={taken} total={facts.bytes} />
    </section>
  );
}

function Space({ facts, volume }: { readonly facts: FileFacts; readonly volume: LaidVolume }) {
  const size = useSizes();
  const most = Math.max(volume.length, 1);
  return (
    <section>
      <h3>Space by folder</h3>
      <p className={styles.detail}>{`Against the planned ${size(volume.length)}.`}</p>
      <Bars
        items={facts.folders.slice(0, 10)}
        most={most}
        words={(f) => `${size(f.bytes)}, ${spaced(f.files)} files`}
      />
      <h4>Biggest files</h4>
      <Bars items={facts.biggest.slice(0, 6)} most={most} words={(f) => size(f.bytes)} />
    </section>
  );
}

interface BarsProps {
  readonly items: readonly SpaceItem[];
  readonly most: number;
  readonly words: (item: SpaceItem) => string;
}

/** Items as bars of what they take of the volume. */
function Bars({ items, most, words }: BarsProps) {
  return (
    <ul className={styles.bars}>
      {items.map((item) => (
        <li key={item.path}>
          <span className={styles.path} title={item.path}>
            {item.path}
          </span>
          <span className={styles.bar}>
            <span style={{ width: `${Math.min(100, (item.bytes / most) * 100)}%` }} />
          </span>
          <span>{words(item)}</span>
        </li>
      ))}
    </ul>
  );
}
