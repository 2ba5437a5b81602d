'use client';

import { findKind } from '@/core/fs';
import type { PickedFolder } from '@/core/goal';
import { nameOf, takeFolders, type CopySource, type LaidVolume } from '@/core/layout';
import { ask, edit, useBench, useCopyDisks, type CopyDisk } from '@/state';
import { Modal, Segmented, Select } from 'antd';
import { useState } from 'react';
import { FolderPicker } from './FolderPicker';
import { PickedFoot } from './PickedFoot';
import styles from './move.module.css';

interface Props {
  readonly id: string;
  /** The volume that folders come to. */
  readonly volume: LaidVolume;
}

/** Brings folders of another disk of the bench to the volume in hand: copied, or moved, which writes that disk too. */
export function TakeDialog(props: Props) {
  const title = `Take folders of another disk to ${nameOf(props.volume)}`;
  return (
    <Modal open onCancel={() => ask()} footer={null} title={title} width={760} destroyOnHidden>
      <TakeForm {...props} />
    </Modal>
  );
}

/** A volume that has files which can be read. */
const hasFiles = ({ volume }: CopySource): boolean => findKind(volume.fileSystem) !== undefined;

function TakeForm({ id, volume }: Props) {
  const disks = useCopyDisks(id).filter((d) => !d.own && d.sources.some(hasFiles));
  const [chosen, setChosen] = useState<string>();
  const all = disks.flatMap((disk) => disk.sources.filter(hasFiles).map((source) => ({ disk, source })));
  const keyOf = ({ disk, source }: (typeof all)[number]): string => `${source.origin.of.number} ${disk.id}`;
  const from = all.find((one) => keyOf(one) === chosen) ?? all[0];
  if (!from)
    return (
      <p className={styles.sub}>No other disk with files that can be read is open. Open one on the bench first.</p>
    );
  return (
    <div className={styles.fields}>
      <label className={styles.field}>
        <span>From</span>
        <Select<string>
          aria-label="From which volume"
          value={keyOf(from)}
          onChange={setChosen}
          options={disks.map((disk) => ({
            label: disk.name,
            options: all
              .filter((one) => one.disk === disk)
              .map((one) => ({ value: keyOf(one), label: `${nameOf(one.source.volume)} of ${disk.name}` })),
          }))}
        />
      </label>
      <Taking key={keyOf(from)} id={id} volume={volume} {...from} />
    </div>
  );
}

function Taking({ id, volume, disk, source }: Props & { readonly disk: CopyDisk; readonly source: CopySource }) {
  const guarded = useBench((s) => s.disks.some((d) => d.stored.id === disk.id && d.stored.guarded));
  const [folders, setFolders] = useState<readonly PickedFolder[]>([]);
  const [then, setThen] = useState<'keep' | 'remove'>('keep');
  const { number } = source.origin.of;
  const take = (): void => {
    const from = { from: { disk: disk.id, number }, fromName: `${nameOf(source.volume)} of ${disk.name}` };
    const paths = folders.map((f) => f.path);
    const result = edit(id, (layout) => takeFolders(layout, from, paths, { to: volume.id, then }));
    if (result?.ok) ask();
  };
  return (
    <>
      <FolderPicker diskId={disk.id} number={number} picked={folders} onPick={setFolders} />
      <div className={styles.row}>
        <Segmented<'keep' | 'remove'>
          value={then}
          onChange={setThen}
          options={[
            { value: 'keep', label: 'Copy' },
            { value: 'remove', label: 'Move', disabled: guarded },
          ]}
        />
        <span className={styles.sub}>
          {then === 'remove'
            ? `${disk.name} is written too: once they were compared here, they are taken away there.`
            : `${disk.name} is only read.${guarded ? ' It is guarded as a whole.' : ''}`}
        </span>
      </div>
      <PickedFoot folders={folders} act={then === 'remove' ? 'Move them' : 'Copy them'} onAct={take} />
    </>
  );
}
