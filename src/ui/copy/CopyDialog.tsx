'use client';

import { copyDisk, type Sharing } from '@/core/goal';
import {
  copyVolume,
  gapsOf,
  nameOf,
  nextLetter,
  type Bounds,
  type CopyOrigin,
  type CopySource,
  type Edited,
  type Layout,
} from '@/core/layout';
import { ask, edit, look, useBench, useCopyDisks, type CopyDisk, type Current } from '@/state';
import { Alert, Button, Modal, Segmented, Select } from 'antd';
import { useState } from 'react';
import { roleColours, useSizes } from '../kit';
import styles from './copy.module.css';

interface Props {
  readonly current: Current;
  readonly planned: Layout;
  readonly bounds: Bounds;
}

type What = 'volume' | 'disk';

/** Brings a volume of any disk of the bench into unallocated space, or all of another disk onto this one. */
export function CopyDialog(props: Props & { readonly from?: string | undefined }) {
  const name = props.current.disk.stored.name;
  return (
    <Modal open onCancel={() => ask()} footer={null} title={`Copy to ${name}`} width={760} destroyOnHidden>
      <CopyForm {...props} />
    </Modal>
  );
}

function CopyForm({ current, planned, bounds, from }: Props & { readonly from?: string | undefined }) {
  const disks = useCopyDisks(current.id);
  const [what, setWhat] = useState<What>('volume');
  const [diskId, setDiskId] = useState(from);
  const offered = what === 'disk' ? disks.filter((d) => !d.own) : disks;
  const disk = offered.find((d) => d.id === diskId) ?? offered[0];
  if (!disk) return <p className={styles.sub}>No disk with a volume on it is open. Open one on the bench first.</p>;
  return (
    <div className={styles.copy}>
      <Segmented<What>
        value={what}
        onChange={setWhat}
        options={[
          { value: 'volume', label: 'One volume' },
          { value: 'disk', label: 'A whole disk' },
        ]}
      />
      <div className={styles.body}>
        <DiskList disks={offered} chosen={disk.id} onChoose={setDiskId} />
        {what === 'volume' ? (
          <OneVolume key={disk.id} disk={disk} current={current} planned={planned} bounds={bounds} />
        ) : (
          <WholeDisk key={disk.id} disk={disk} current={current} />
        )}
      </div>
    </div>
  );
}

interface DiskListProps {
  readonly disks: readonly CopyDisk[];
  readonly chosen: string;
  readonly onChoose: (id: string) => void;
}

function DiskList({ disks, chosen, onChoose }: DiskListProps) {
  const size = useSizes();
  return (
    <div className={styles.list} role="radiogroup" aria-label="From which disk">
      {disks.map((d) => (
        <button
          key={d.id}
          type="button"
          role="radio"
          aria-checked={d.id === chosen}
          className={styles.item}
          onClick={() => onChoose(d.id)}
        >
          <strong>{d.own ? `${d.name}, this disk` : d.name}</strong>
          <span>{`${size(d.size)}, ${d.sources.length} volume${d.sources.length === 1 ? '' : 's'}`}</span>
        </button>
      ))}
    </div>
  );
}

/** Takes the copy in hand with the cursor in its size. */
function bring({ id }: Current, planned: Layout, act: (layout: Layout) => Edited): void {
  const result = edit(id, act);
  if (!result?.ok) return;
  const made = result.layout.volumes.find((v) => !planned.volumes.some((w) => w.id === v.id));
  ask();
  look({ selected: made?.id, fresh: made?.id });
}

/** The longest stretch that is left: most volumes fit there if anywhere. */
const longestGap = (planned: Layout) => gapsOf(planned).sort((a, b) => b.end - b.start - (a.end - a.start))[0];

function OneVolume({ disk, current, planned, bounds }: Props & { readonly disk: CopyDisk }) {
  const size = useSizes();
  const refusal = useBench((s) => s.refusal);
  const [number, setNumber] = useState(() => largest(disk).origin.of.number);
  const [identity, setIdentity] = useState<CopyOrigin['identity']>('new');
  const source = disk.sources.find((s) => s.origin.of.number === number)!;
  const gap = longestGap(planned);
  const copy = (): void =>
    bring(current, planned, (layout) => {
      const letter = source.origin.bounds ? nextLetter(layout) : undefined;
      return copyVolume(layout, bounds, gap!, source, { identity, ...(letter ? { letter } : {}) });
    });
  return (
    <div className={styles.choice}>
      <div className={styles.volumes} role="radiogroup" aria-label="Which volume">
        {disk.sources.map((s) => (
          <VolumeChoice
            key={s.origin.of.number}
            source={s}
            chosen={s === source}
            onChoose={() => setNumber(s.origin.of.number)}
          />
        ))}
      </div>
      <IdentityChoice identity={identity} onChange={setIdentity} />
      {!gap ? <Alert type="warning" showIcon title="Nothing is unallocated on this disk. Make room first." /> : null}
      {refusal ? <Alert type="warning" showIcon title={refusal.reason} /> : null}
      <div className={styles.foot}>
        <span>{gap ? `${size(gap.end - gap.start)} unallocated in one piece` : ''}</span>
        <Button type="primary" disabled={!gap} onClick={copy}>
          {`Copy ${source.origin.name} here`}
        </Button>
      </div>
    </div>
  );
}

const largest = ({ sources }: CopyDisk): CopySource =>
  sources.reduce((a, b) => (b.origin.used > a.origin.used ? b : a));

interface VolumeChoiceProps {
  readonly source: CopySource;
  readonly chosen: boolean;
  readonly onChoose: () => void;
}

function VolumeChoice({ source: { volume, origin }, chosen, onChoose }: VolumeChoiceProps) {
  const size = useSizes();
  const use = origin.bounds ? `${size(origin.used)} in use` : 'content not known, copied whole';
  const least = origin.bounds && origin.bounds.floor < origin.length ? `, at least ${size(origin.bounds.floor)}` : '';
  return (
    <button type="button" role="radio" aria-checked={chosen} className={styles.item} onClick={onChoose}>
      <i style={{ background: roleColours(volume.role).full }} aria-hidden />
      <strong>{nameOf(volume)}</strong>
      <span>{`${size(origin.length)}, ${use}${least}`}</span>
    </button>
  );
}

interface IdentityChoiceProps {
  readonly identity: CopyOrigin['identity'];
  readonly onChange: (identity: CopyOrigin['identity']) => void;
}

/** Whether both may be in one machine, in a row of words. */
function IdentityChoice({ identity, onChange }: IdentityChoiceProps) {
  return (
    <label className={styles.field}>
      <span>Identity</span>
      <Select
        aria-label="Identity"
        value={identity}
        onChange={onChange}
        options={[
          { value: 'new', label: 'new: both can stay in one machine' },
          { value: 'kept', label: 'as it is: the copy takes its original’s place' },
        ]}
      />
    </label>
  );
}

function WholeDisk({ disk, current }: { readonly disk: CopyDisk; readonly current: Current }) {
  const size = useSizes();
  const survey = useBench((s) => s.disks.find((d) => d.stored.id === disk.id)?.survey);
  const [sharing, setSharing] = useState<Sharing>('grown');
  const [identity, setIdentity] = useState<CopyOrigin['identity']>('kept');
  const { now } = current.job!;
  const table = survey?.table ?? 'none';
  const result = copyDisk(now, { sources: disk.sources, table, sharing, identity });
  const lost = now.volumes.map(nameOf).join(', ');
  const fill = (): void => {
    if (!result.ok) return;
    edit(current.id, () => ({ ...result }));
    ask();
  };
  return (
    <div className={styles.choice}>
      {result.ok ? (
        <ul className={styles.shares}>
          {result.layout.volumes.map((v) => (
            <li key={v.id}>
              <strong>{nameOf(v)}</strong>
              <span>{size(v.length)}</span>
            </li>
          ))}
        </ul>
      ) : (
        <Alert type="warning" showIcon title={result.reason} />
      )}
      <label className={styles.field}>
        <span>Sizes</span>
        <Select<Sharing>
          aria-label="Sizes"
          value={sharing}
          onChange={setSharing}
          options={[
            { value: 'grown', label: 'grown to fill this disk' },
            { value: 'kept', label: 'as they are' },
          ]}
        />
      </label>
      <IdentityChoice identity={identity} onChange={setIdentity} />
      {lost ? <Alert type="error" showIcon title={`What is on this disk goes: ${lost}.`} /> : null}
      {result.ok ? result.notes.map((note) => <p key={note}>{note}</p>) : null}
      <div className={styles.foot}>
        <span>{`${size(disk.sources.reduce((sum, s) => sum + s.origin.used, 0))} in use`}</span>
        <Button type="primary" disabled={!result.ok} onClick={fill}>
          {`Copy all of ${disk.name} here`}
        </Button>
      </div>
    </div>
  );
}
