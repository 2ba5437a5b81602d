'use client';

import { findKind, makeableKinds } from '@/core/fs';
import {
  endOf,
  formatVolume,
  lastUsable,
  letterFault,
  removeVolume,
  resizeEnd,
  setActive,
  setFlag,
  setGuard,
  setLabel,
  setLetter,
  setPlacement,
  setRole,
  type Bounds,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { headroomAdvice } from '@/core/goal';
import { formatSize } from '@/core/size';
import type { VolumeFlag } from '@/core/table';
import { ask, dismissRefusal, edit, look, useBench, type Current } from '@/state';
import { Button, Input, Popover, Select } from 'antd';
import { memo, useState } from 'react';
import { LetterChip, ROLE_WORDS, ROLES, SizeInput } from '../kit';
import { FloorReasons } from './FloorReasons';
import styles from './divide.module.css';

interface Props {
  readonly current: Current;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly volume: LaidVolume;
  /** Puts the cursor into the size when the volume has just been made. */
  readonly focusSize: boolean;
}

const FLAGS: readonly VolumeFlag[] = ['required', 'read-only', 'hidden', 'no-letter'];
const LETTERS = [...'CDEFGHIJKLMNOPQRSTUVWXYZAB'];

/** Everything about the volume in hand in one place: size, label, letter, file system, cluster size, role. */
export const VolumeForm = memo(function VolumeForm({ current, planned, bounds, volume, focusSize }: Props) {
  const { id } = current;
  const refusal = useBench((s) => s.refusal);
  const note = useBench((s) => s.note);
  const readOnly = useBench((s) => s.readOnly);
  const [fault, setFault] = useState<string>();
  const isNew = volume.origin.kind === 'new';
  const made = isNew || volume.format !== undefined;
  const facts = findKind(volume.fileSystem);
  const bound = volume.origin.kind === 'kept' ? bounds.get(volume.origin.number) : undefined;
  const next = planned.volumes.find((v) => v.start >= endOf(volume));
  const room = (next?.origin.kind === 'new' ? endOf(next) : (next?.start ?? lastUsable(planned))) - volume.start;
  const sizes = facts?.clusterSizes(volume.length, planned.sectorSize) ?? [];
  const standard = facts?.defaultClusterSize(volume.length, planned.sectorSize);
  const resize = (bytes: number): void => void edit(id, (layout) => resizeEnd(layout, bounds, volume.id, bytes));
  const message = fault ?? refusal?.reason;
  const tight = headroomAdvice(current.disk.survey!, volume);

  return (
    <section className={styles.form} aria-label="Volume">
      <div className={styles.formHead}>
        {volume.letter ? <LetterChip letter={volume.letter} role={volume.role} /> : null}
        <h2>{volume.label || (isNew ? 'New volume' : 'No label')}</h2>
        <span>{`${isNew ? 'new ' : ''}${ROLE_WORDS[volume.role]} volume`}</span>
      </div>
      <div className={styles.row}>
        <label htmlFor="size">Size</label>
        <SizeInput
          id="size"
          key={`${volume.id}-size`}
          bytes={volume.length}
          context={{ whole: room, rest: room, current: volume.length, floor: bound?.floor ?? 0 }}
          focus={focusSize}
          disabled={readOnly}
          onSize={resize}
          onFault={setFault}
        />
      </div>
      {message ? (
        <p className={styles.refusal} role="alert">
          {message}{' '}
          {refusal?.nearest !== undefined && !fault ? (
            <Button size="small" type="link" style={{ padding: 0 }} onClick={() => resize(refusal.nearest!)}>
              {`Take ${formatSize(refusal.nearest)}`}
            </Button>
          ) : null}
        </p>
      ) : null}
      {note && !message ? <p className={styles.hint}>{note}</p> : null}
      {tight && !message ? <p className={styles.amber}>{tight}</p> : null}
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
            value={facts?.title ?? 'not known'}
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
      <div className={styles.actions}>
        {planned.table === 'none' ? null : (
          <Button size="small" disabled={readOnly} onClick={() => ask({ kind: 'ways', wish: 'grow' })}>
            Make bigger…
          </Button>
        )}
        <Button size="small" onClick={() => ask({ kind: 'advice' })}>
          Advice
        </Button>
        {bound ? (
          <Popover
            trigger="click"
            placement="leftTop"
            content={<FloorReasons current={current} volume={volume} />}
            destroyOnHidden
          >
            <Button size="small">What holds the floor</Button>
          </Popover>
        ) : null}
        {planned.table === 'mbr' ? (
          <Button size="small" onClick={() => edit(id, (layout) => setActive(layout, volume.id, !volume.active))}>
            {volume.active ? 'Make inactive' : 'Make active'}
          </Button>
        ) : null}
        <Button size="small" onClick={() => edit(id, (layout) => setGuard(layout, volume.id, !volume.guarded))}>
          {volume.guarded ? 'Lift guard' : 'Guard'}
        </Button>
        {!made && facts ? (
          <Button
            size="small"
            danger
            onClick={() => edit(id, (layout) => formatVolume(layout, volume.id, { fileSystem: volume.fileSystem }))}
          >
            Format
          </Button>
        ) : null}
        {planned.table === 'none' ? null : (
          <Button
            size="small"
            danger
            onClick={() => {
              const result = edit(id, (layout) => removeVolume(layout, volume.id));
              if (result?.ok) look({ selected: undefined });
            }}
          >
            Remove
          </Button>
        )}
      </div>
    </section>
  );
});
