'use client';

import { mergeVolume, nameOf, type Bounds, type LaidVolume, type Layout, type VolumeId } from '@/core/layout';
import { ask, edit, look, useBench } from '@/state';
import { Alert, Button, Input, Modal, Select } from 'antd';
import { useState } from 'react';
import styles from './move.module.css';

interface Props {
  readonly id: string;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly volume: LaidVolume;
}

/** Puts everything on the volume in hand into a folder of another one, which takes its room. */
export function MergeDialog({ id, planned, bounds, volume }: Props) {
  const refusal = useBench((s) => s.refusal);
  const targets = planned.volumes.filter((v) => v.id !== volume.id && !v.guarded && v.fileSystem !== 'unknown');
  const [to, setTo] = useState<VolumeId | undefined>(
    () => targets.findLast((v) => v.start < volume.start)?.id ?? targets[0]?.id,
  );
  const [under, setUnder] = useState(volume.label || 'Merged');
  const merge = (): void => {
    const result = edit(id, (layout) => mergeVolume(layout, bounds, volume.id, to!, under));
    if (!result?.ok) return;
    ask();
    look({ selected: to });
  };
  return (
    <Modal
      open
      onCancel={() => ask()}
      footer={null}
      title={`Merge ${nameOf(volume)} into…`}
      width={520}
      destroyOnHidden
    >
      <div className={styles.fields}>
        <label className={styles.field}>
          <span>Into</span>
          <Select<VolumeId>
            aria-label="Into which volume"
            {...(to ? { value: to } : {})}
            onChange={setTo}
            options={targets.map((v) => ({ value: v.id, label: nameOf(v) }))}
          />
        </label>
        <label className={styles.field}>
          <span>Folder</span>
          <Input value={under} onChange={(e) => setUnder(e.target.value)} onPressEnter={merge} />
        </label>
        <p className={styles.sub}>
          {`Every file of ${nameOf(volume)} is copied there and compared. Then the volume goes, and its room is added where it stands right behind.`}
        </p>
        {refusal ? <Alert type="warning" showIcon title={refusal.reason} /> : null}
        <div className={styles.foot}>
          <span />
          <Button type="primary" disabled={!to} onClick={merge}>
            Merge
          </Button>
        </div>
      </div>
    </Modal>
  );
}
