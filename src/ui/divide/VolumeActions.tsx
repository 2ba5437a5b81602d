'use client';

import { findKind } from '@/core/fs';
import { boundOf, formatVolume, isMade, removeVolume, setActive, setGuard } from '@/core/layout';
import { ask, edit, look, useBench } from '@/state';
import { Button, Popover } from 'antd';
import { FloorReasons } from './FloorReasons';
import type { VolumeInHand } from './VolumeRows';
import styles from './divide.module.css';

/** What can be done with the volume in hand besides setting it. */
export function VolumeActions({ current, planned, bounds, volume }: VolumeInHand) {
  const { id } = current;
  const readOnly = useBench((s) => s.readOnly);
  const made = isMade(volume);
  const bound = boundOf(volume, bounds);
  return (
    <div className={styles.actions}>
      {planned.table === 'none' ? null : (
        <Button size="small" disabled={readOnly} onClick={() => ask({ kind: 'ways', wish: 'grow' })}>
          Make bigger…
        </Button>
      )}
      <Button size="small" onClick={() => ask({ kind: 'advice' })}>
        Advice
      </Button>
      {bound && volume.origin.kind === 'kept' ? (
        <Popover
          trigger="click"
          placement="leftTop"
          content={<FloorReasons current={current} volume={volume} />}
          destroyOnHidden
        >
          <Button size="small">What holds the floor</Button>
        </Popover>
      ) : null}
      {volume.origin.kind === 'kept' && !made && findKind(volume.fileSystem) ? (
        <>
          <Button size="small" disabled={readOnly} onClick={() => ask({ kind: 'folders' })}>
            Move folders…
          </Button>
          {planned.table !== 'none' && planned.volumes.length > 1 ? (
            <Button size="small" disabled={readOnly} onClick={() => ask({ kind: 'merge' })}>
              Merge…
            </Button>
          ) : null}
        </>
      ) : null}
      {findKind(volume.fileSystem) && !volume.guarded ? (
        <Button size="small" disabled={readOnly} onClick={() => ask({ kind: 'take' })}>
          Take folders…
        </Button>
      ) : null}
      {planned.table === 'mbr' ? (
        <Button size="small" onClick={() => edit(id, (layout) => setActive(layout, volume.id, !volume.active))}>
          {volume.active ? 'Make inactive' : 'Make active'}
        </Button>
      ) : null}
      <Button size="small" onClick={() => edit(id, (layout) => setGuard(layout, volume.id, !volume.guarded))}>
        {volume.guarded ? 'Lift guard' : 'Guard'}
      </Button>
      {!made && volume.origin.kind === 'kept' && findKind(volume.fileSystem) ? (
        <Button
          size="small"
          danger
          onClick={() => edit(id, (layout) => formatVolume(layout, volume.id, { fileSystem: volume.fileSystem }))}
        >
          Format
        </Button>
      ) : null}
      <Button size="small" danger disabled={readOnly} onClick={() => ask({ kind: 'wipe' })}>
        Wipe…
      </Button>
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
  );
}
