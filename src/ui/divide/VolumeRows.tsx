'use client';

import { findKind, makeableKinds } from '@/core/fs';
import {
  formatVolume,
  isMade,
  letterFault,
  setFlag,
  setIdentity,
  setLabel,
  setLetter,
  setPlacement,
  setRole,
  type Bounds,
  type CopyOrigin,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { formatSize } from '@/core/size';
import type { VolumeFlag } from '@/core/table';
import { dismissRefusal, edit, useBench, type Current } from '@/state';
import { Input, Select } from 'antd';
import { ROLE_WORDS, ROLES } from '../kit';
import styles from './divide.module.css';

/** The volume that the form is about. */
export interface VolumeInHand {
  readonly current: Current;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly volume: LaidVolume;
}

const FLAGS: readonly VolumeFlag[] = ['required', 'read-only', 'hidden', 'no-letter'];
const LETTERS = [...'CDEFGHIJKLMNOPQRSTUVWXYZAB'];

/** What it is called: label and letter. */
export function NameRows({ current: { id }, planned, volume }: VolumeInHand) {
  const readOnly = useBench((s) => s.readOnly);
  const facts = findKind(volume.fileSystem);
  return (
    <>
      <div className={styles.row}>
        <label htmlFor="label">Label</label>
        <Input
          id="label"
          key={`${volume.id}-${volume.label}`}
          defaultValue={volume.label}
          maxLength={facts?.maxLabelLength ?? 32}
          disabled={readOnly || !facts}
          onBlur={(e) =>
            e.target.value !== volume.label && edit(id, (layout) => setLabel(layout, volume.id, e.target.value))
          }
          onPressEnter={(e) => e.currentTarget.blur()}
          onChange={dismissRefusal}
        />
      </div>
      <div className={styles.row}>
        <label htmlFor="letter">Letter</label>
        <Select
          id="letter"
          showSearch
          value={volume.letter ?? ''}
          disabled={readOnly}
          onChange={(value: string) => edit(id, (layout) => setLetter(layout, volume.id, value || undefined))}
          options={[
            { value: '', label: 'none' },
            ...LETTERS.map((letter) => ({
              value: letter,
              label: letter,
              disabled: letterFault(planned, volume.id, letter) !== undefined,
            })),
          ]}
        />
      </div>
    </>
  );
}

/** Of a copy: what it is a copy of, and whether it is another volume. */
export function CopyRows({ current: { id }, volume: { id: volumeId, origin } }: VolumeInHand) {
  const readOnly = useBench((s) => s.readOnly);
  if (origin.kind !== 'copy') return null;
  return (
    <>
      <div className={styles.row}>
        <label htmlFor="from">Copy of</label>
        <Input id="from" value={`${origin.name}, ${origin.diskName}`} readOnly />
      </div>
      <div className={styles.row}>
        <label htmlFor="identity">Identity</label>
        <Select<CopyOrigin['identity']>
          id="identity"
          value={origin.identity}
          disabled={readOnly}
          onChange={(identity) => edit(id, (layout) => setIdentity(layout, volumeId, identity))}
          options={[
            { value: 'new', label: 'new: both can stay' },
            { value: 'kept', label: 'as it is: the original goes' },
          ]}
        />
      </div>
    </>
  );
}

/** What it is or becomes: file system, cluster size, and how it is formatted. */
export function FormatRows({ current: { id }, planned, volume }: VolumeInHand) {
  const readOnly = useBench((s) => s.readOnly);
  const made = isMade(volume);
  const facts = findKind(volume.fileSystem);
  const sizes = facts?.clusterSizes(volume.length, planned.sectorSize) ?? [];
  const standard = facts?.defaultClusterSize(volume.length, planned.sectorSize);
  return (
    <>
      <div className={styles.row}>
        <label htmlFor="fs">File system</label>
        {made ? (
          <Select
            id="fs"
            value={volume.fileSystem}
            disabled={readOnly}
            onChange={(fileSystem: string) =>
              edit(id, (layout) => formatVolume(layout, volume.id, { fileSystem, format: volume.format ?? 'quick' }))
            }
            options={makeableKinds().map((k) => ({
              value: k.kind,
              label: k.title,
              disabled: k.clusterSizes(volume.length, planned.sectorSize).length === 0,
            }))}
          />
        ) : (
          <Input
            id="fs"
            value={facts?.title ?? volume.knownAs ?? 'not known'}
            readOnly
            suffix={<span className={styles.detail}>kept</span>}
          />
        )}
      </div>
      <div className={styles.row}>
        <label htmlFor="cluster">Cluster size</label>
        {made ? (
          <Select
            id="cluster"
            value={volume.clusterSize ?? 0}
            disabled={readOnly}
            onChange={(clusterSize: number) =>
              edit(id, (layout) =>
                formatVolume(layout, volume.id, {
                  fileSystem: volume.fileSystem,
                  format: volume.format ?? 'quick',
                  ...(clusterSize ? { clusterSize } : {}),
                }),
              )
            }
            options={[
              { value: 0, label: standard ? `${formatSize(standard)}, as usual for this size` : 'none suits' },
              ...sizes.map((value) => ({ value, label: formatSize(value) })),
            ]}
          />
        ) : (
          <Input
            id="cluster"
            value={volume.clusterSize ? formatSize(volume.clusterSize) : 'not known'}
            readOnly
            suffix={<span className={styles.detail}>kept</span>}
          />
        )}
      </div>
      {made ? (
        <div className={styles.row}>
          <label htmlFor="format">Format</label>
          <Select
            id="format"
            value={volume.format ?? 'quick'}
            disabled={readOnly}
            onChange={(format: 'quick' | 'full') =>
              edit(id, (layout) =>
                formatVolume(layout, volume.id, {
                  fileSystem: volume.fileSystem,
                  format,
                  ...(volume.clusterSize ? { clusterSize: volume.clusterSize } : {}),
                }),
              )
            }
            options={[
              { value: 'quick', label: 'quick: structures only' },
              { value: 'full', label: 'full: every byte zeroed' },
            ]}
          />
        </div>
      ) : null}
    </>
  );
}

/** What the table says of it: role, place and marks. */
export function TableRows({ current: { id }, planned, bounds, volume }: VolumeInHand) {
  const readOnly = useBench((s) => s.readOnly);
  const isNew = volume.origin.kind === 'new';
  return (
    <>
      <div className={styles.row}>
        <label htmlFor="role">Role</label>
        <Select
          id="role"
          value={volume.role}
          disabled={readOnly}
          onChange={(role: LaidVolume['role']) => edit(id, (layout) => setRole(layout, volume.id, role))}
          options={ROLES.map((role) => ({ value: role, label: ROLE_WORDS[role] }))}
        />
      </div>
      {planned.table === 'mbr' && isNew ? (
        <div className={styles.row}>
          <label htmlFor="placement">In the table</label>
          <Select
            id="placement"
            value={volume.placement ?? ''}
            disabled={readOnly}
            onChange={(value: '' | 'primary' | 'logical') =>
              edit(id, (layout) => setPlacement(layout, bounds, volume.id, value || undefined))
            }
            options={[
              { value: '', label: `${volume.logical ? 'logical' : 'primary'}, by itself` },
              { value: 'primary', label: 'primary' },
              { value: 'logical', label: 'logical' },
            ]}
          />
        </div>
      ) : null}
      {planned.table === 'gpt' ? (
        <div className={styles.row}>
          <label htmlFor="marks">Marks</label>
          <Select
            id="marks"
            mode="multiple"
            value={[...volume.flags]}
            disabled={readOnly}
            placeholder="none"
            onSelect={(flag: VolumeFlag) => edit(id, (layout) => setFlag(layout, volume.id, flag, true))}
            onDeselect={(flag: VolumeFlag) => edit(id, (layout) => setFlag(layout, volume.id, flag, false))}
            options={FLAGS.map((flag) => ({ value: flag, label: flag }))}
          />
        </div>
      ) : null}
    </>
  );
}
