'use client';

import { giveOwnVolume, sizeForFolders, type PickedFolder } from '@/core/goal';
import { findKind } from '@/core/fs';
import {
  addFolders,
  nameOf,
  type Bounds,
  type LaidVolume,
  type Layout,
  type TransferWish,
  type VolumeId,
} from '@/core/layout';
import { ask, edit, look } from '@/state';
import { Checkbox, Modal, Segmented, Select } from 'antd';
import { useState } from 'react';
import { useSizes } from '../kit';
import { FolderPicker } from './FolderPicker';
import { PickedFoot } from './PickedFoot';
import styles from './move.module.css';

interface Props {
  readonly id: string;
  readonly planned: Layout;
  readonly bounds: Bounds;
  /** The volume that folders are picked from. */
  readonly volume: LaidVolume;
}

const OWN = 'own';
const ACTS: Readonly<Record<TransferWish['then'], string>> = { keep: 'Copy', remove: 'Move', back: 'Park' };

/** Picks folders of the volume in hand, and says where they go: a volume of their own, or another one that is there. */
export function FolderDialog(props: Props) {
  const title = `Move or copy folders of ${nameOf(props.volume)}`;
  return (
    <Modal open onCancel={() => ask()} footer={null} title={title} width={760} destroyOnHidden>
      <FolderForm {...props} />
    </Modal>
  );
}

function FolderForm({ id, planned, bounds, volume }: Props) {
  const size = useSizes();
  const [folders, setFolders] = useState<readonly PickedFolder[]>([]);
  const [to, setTo] = useState<VolumeId | typeof OWN>(OWN);
  const [then, setThen] = useState<TransferWish['then']>('remove');
  const [leave, setLeave] = useState(false);
  const targets = planned.volumes.filter((v) => v.id !== volume.id && !v.guarded && v.fileSystem !== 'unknown');
  const links = then === 'remove' && findKind(volume.fileSystem)?.holds.linkTo !== undefined;
  const move = (): void => {
    const left = leave && links;
    const paths = folders.map((f) => f.path);
    const result = edit(id, (layout) =>
      to === OWN
        ? giveOwnVolume(layout, bounds, volume.id, folders, left)
        : addFolders(layout, volume.id, paths, { to, then, ...(left ? { leave: 'link' } : {}) }),
    );
    if (!result?.ok) return;
    ask();
    look({ selected: result.layout.transfers?.at(-1)?.to });
  };
  return (
    <div className={styles.fields}>
      {volume.origin.kind === 'kept' ? (
        <FolderPicker diskId={id} number={volume.origin.number} picked={folders} onPick={setFolders} />
      ) : null}
      <div className={styles.row}>
        <Select<VolumeId | typeof OWN>
          aria-label="Where they go"
          value={to}
          onChange={setTo}
          options={[
            { value: OWN, label: `a volume of their own, ${size(sizeForFolders(folders))}` },
            ...targets.map((v) => ({ value: v.id, label: nameOf(v) })),
          ]}
        />
        <Segmented<TransferWish['then']>
          value={to === OWN ? 'remove' : then}
          disabled={to === OWN}
          onChange={setThen}
          options={[
            { value: 'remove', label: 'Move' },
            { value: 'keep', label: 'Copy' },
            { value: 'back', label: 'Park', title: 'Taken away, and brought back when all else is done' },
          ]}
        />
        <Checkbox checked={leave && links} disabled={!links} onChange={(e) => setLeave(e.target.checked)}>
          Leave a link
        </Checkbox>
      </div>
      <PickedFoot folders={folders} act={`${to === OWN ? 'Move' : ACTS[then]} them`} onAct={move} />
    </div>
  );
}
