'use client';

import type { Pattern } from '@/core/health';
import { addWipe, nameOf, wipeDisk, type Layout, type LaidVolume, type WipeTarget } from '@/core/layout';
import { ask, edit, look, useBench, type Current } from '@/state';
import { Alert, Button, Input, Modal, Radio, Segmented, Select } from 'antd';
import { useState } from 'react';
import styles from './wipe.module.css';

interface Props {
  readonly current: Current;
  readonly planned: Layout;
  readonly volume: LaidVolume | undefined;
}

const PASSES: Readonly<Record<string, { readonly label: string; readonly passes: readonly Pattern[] }>> = {
  zeros: { label: 'zeros', passes: ['zeros'] },
  ones: { label: 'ones', passes: ['ones'] },
  random: { label: 'random bytes', passes: ['random'] },
  three: { label: 'ones, then zeros, then random bytes', passes: ['ones', 'zeros', 'random'] },
};

/** What can be written over, in the words of the plan as it is. */
function targetsIn({ job }: Current, planned: Layout, volume: LaidVolume | undefined) {
  const gone = job!.now.volumes.filter((v) => !planned.volumes.some((p) => p.id === v.id));
  const targets: { readonly key: string; readonly label: string; readonly target: WipeTarget }[] = [
    {
      key: 'unallocated',
      label: 'What is unallocated in the plan, places of removed volumes with it',
      target: { what: 'unallocated' },
    },
  ];
  if (volume?.origin.kind === 'kept' && !volume.format && volume.fileSystem !== 'unknown')
    targets.push({
      key: 'free',
      label: `The free space inside ${nameOf(volume)}; its files stay, and are proven`,
      target: { what: 'free', volume: volume.id },
    });
  for (const v of gone)
    if (v.origin.kind === 'kept')
      targets.push({
        key: `volume ${v.origin.number}`,
        label: `What ${nameOf(v)} held, before anything comes to its place`,
        target: { what: 'volume', number: v.origin.number, name: nameOf(v) },
      });
  return [...targets, { key: 'disk', label: 'The whole disk, its table with it', target: { what: 'disk' } as const }];
}

/** Says what is written over, with what, and how much of it is compared. */
export function WipeDialog({ current, planned, volume }: Props) {
  const { id, disk } = current;
  const targets = targetsIn(current, planned, volume);
  const refusal = useBench((s) => s.refusal);
  const [key, setKey] = useState(targets[0]!.key);
  const [pass, setPass] = useState('zeros');
  const [compare, setCompare] = useState(1);
  const [typed, setTyped] = useState('');
  const chosen = targets.find((t) => t.key === key)!.target;
  const whole = chosen.what === 'disk';
  const plan = (): void => {
    const how = { passes: PASSES[pass]!.passes, compare };
    const result = edit(id, (layout) => (whole ? wipeDisk(layout, how) : addWipe(layout, { ...chosen, ...how })));
    if (!result?.ok) return;
    ask();
    if (whole) look({ selected: undefined });
  };
  return (
    <Modal open onCancel={() => ask()} footer={null} title="Wipe" width={620} destroyOnHidden>
      <div className={styles.fields}>
        <Radio.Group
          className={styles.targets}
          value={key}
          onChange={(e) => setKey(e.target.value as string)}
          options={targets.map((t) => ({ value: t.key, label: t.label }))}
        />
        <label className={styles.field}>
          <span>Written over with</span>
          <Select
            aria-label="Written over with"
            value={pass}
            onChange={setPass}
            options={Object.entries(PASSES).map(([value, { label }]) => ({ value, label }))}
          />
        </label>
        <div className={styles.field}>
          <span>Read back</span>
          <Segmented<number>
            value={compare}
            onChange={setCompare}
            options={[
              { value: 1, label: 'all of it' },
              { value: 0.1, label: 'a tenth' },
              { value: 0, label: 'nothing' },
            ]}
          />
        </div>
        <p>
          {disk.stored.source.kind === 'practice'
            ? 'On a practice disk zeros take no room, and count as written all the same.'
            : 'The image that was opened is never written, and still holds what is wiped here. It is gone where the result goes.'}
        </p>
        {whole ? (
          <>
            <Alert type="error" showIcon title="Everything on this disk is lost when this is run." />
            <label htmlFor="wipe-name">{`Type the name of the disk, ${disk.stored.name}, to go on`}</label>
            <Input id="wipe-name" value={typed} onChange={(e) => setTyped(e.target.value)} />
          </>
        ) : null}
        {refusal ? <Alert type="warning" showIcon title={refusal.reason} /> : null}
        <div className={styles.foot}>
          <Button type="primary" danger={whole} disabled={whole && typed !== disk.stored.name} onClick={plan}>
            Plan the wipe
          </Button>
        </div>
      </div>
    </Modal>
  );
}
