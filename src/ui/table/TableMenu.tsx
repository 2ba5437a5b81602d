'use client';

import { compareTables, copyFault, parseTableCopy, tableCopy, type TableCopy, type TableDifference } from '@/core/job';
import { convertTable, mendTable, newTable, type Bounds, type Layout } from '@/core/layout';
import { deriveRestore, lossWords } from '@/core/plan';
import type { Survey } from '@/core/inspect';
import { ask, edit, look, startRunning, useBench, type Current } from '@/state';
import { Alert, Button, Dropdown, Input, Modal, Segmented } from 'antd';
import { useState } from 'react';
import { downloadText } from '../kit';
import styles from './table.module.css';

interface Props {
  readonly current: Current;
  readonly planned: Layout;
  readonly bounds: Bounds;
}

const TITLES = { mbr: 'master boot record (MBR)', gpt: 'GUID table (GPT)' } as const;

/** Everything about the disk's table as a whole: another kind, a new one, mending, a copy to a file and back. */
export function TableMenu({ current, planned, bounds }: Props) {
  const { id, disk } = current;
  const survey = disk.survey!;
  const readOnly = useBench((s) => s.readOnly);
  const [dialog, setDialog] = useState<'new' | 'restore'>();
  const other = planned.table === 'gpt' ? ('mbr' as const) : ('gpt' as const);
  const damaged = survey.findings.some((f) => f.code.startsWith('gpt.') && f.severity === 'warning');
  const items = [
    ...(planned.table === 'none' ? [] : [{ key: 'convert', label: `Convert to a ${TITLES[other]}` }]),
    ...(damaged ? [{ key: 'mend', label: 'Mend the damaged copy' }] : []),
    { key: 'new', label: 'New empty table…' },
    ...(survey.table === 'none' ? [] : [{ key: 'save', label: 'Save a copy of the table' }]),
    { key: 'restore', label: 'Put a saved table back…' },
    { key: 'wipe', label: 'Wipe the disk, or what is unallocated…' },
  ];
  const act = (key: string): void => {
    if (key === 'convert') edit(id, (layout) => convertTable(layout, bounds, other));
    else if (key === 'mend') edit(id, mendTable);
    else if (key === 'save')
      downloadText(`${disk.stored.name} table.json`, 'application/json', JSON.stringify(tableCopy(survey), null, 2));
    else if (key === 'wipe') ask({ kind: 'wipe' });
    else setDialog(key as 'new' | 'restore');
  };
  return (
    <>
      <Dropdown menu={{ items, onClick: ({ key }) => act(key) }} trigger={['click']} disabled={readOnly}>
        <Button>Table…</Button>
      </Dropdown>
      <NewTable open={dialog === 'new'} onClose={() => setDialog(undefined)} current={current} planned={planned} />
      <RestoreTable open={dialog === 'restore'} onClose={() => setDialog(undefined)} current={current} />
    </>
  );
}

interface DialogProps {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly current: Current;
}

/** Says what is lost, and asks for the disk's name when anything is. */
function NewTable({ open, onClose, current, planned }: DialogProps & { readonly planned: Layout }) {
  const { id, disk } = current;
  const [kind, setKind] = useState<'mbr' | 'gpt'>('gpt');
  const [typed, setTyped] = useState('');
  const survey = disk.survey!;
  const loses = survey.volumes.length > 0;
  const loss = survey.volumes.reduce(
    (sum, v) => ({ files: sum.files + v.files, bytes: sum.bytes + (v.info?.used ?? v.length) }),
    { files: 0, bytes: 0 },
  );
  const close = (): void => {
    setTyped('');
    onClose();
  };
  const make = (): void => {
    const result = edit(id, (layout) => newTable(layout, kind, true));
    if (result?.ok) look({ selected: undefined });
    close();
  };
  return (
    <Modal
      open={open}
      title="A new, empty table"
      okText="Plan the new table"
      okButtonProps={{ danger: loses, disabled: loses && typed !== disk.stored.name }}
      onOk={make}
      onCancel={close}
    >
      <div className={styles.body}>
        <Segmented<'mbr' | 'gpt'>
          value={kind}
          onChange={setKind}
          options={[
            { value: 'gpt', label: TITLES.gpt },
            { value: 'mbr', label: TITLES.mbr },
          ]}
        />
        <p>
          {kind === 'gpt'
            ? 'For every machine that starts by UEFI, and for disks of any size.'
            : `For old machines, cameras and small devices. It reaches ${planned.sectorSize === 512 ? '2 TiB' : '16 TiB'} with sectors of ${planned.sectorSize} bytes, and has four entries; more volumes become logical by themselves.`}
        </p>
        {loses ? (
          <>
            <Alert type="error" showIcon title={`Every volume goes: ${lossWords(loss)} are lost when this is run.`} />
            <label htmlFor="disk-name">{`Type the name of the disk, ${disk.stored.name}, to go on`}</label>
            <Input id="disk-name" value={typed} onChange={(e) => setTyped(e.target.value)} />
          </>
        ) : (
          <p>There is no volume on this disk, so nothing is lost.</p>
        )}
      </div>
    </Modal>
  );
}

interface Compared {
  readonly copy: TableCopy;
  readonly differences: readonly TableDifference[];
  readonly fault: string | undefined;
}

/** Reads a copy and shows what it would change before anything is done. */
function RestoreTable({ open, onClose, current }: DialogProps) {
  const { id, disk } = current;
  const survey = disk.survey!;
  const [compared, setCompared] = useState<Compared>();
  const [fault, setFault] = useState<string>();
  const close = (): void => {
    setCompared(undefined);
    setFault(undefined);
    onClose();
  };
  const read = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    try {
      setFault(undefined);
      setCompared(compare(survey, parseTableCopy(JSON.parse(await file.text()))));
    } catch (error) {
      setFault(error instanceof SyntaxError ? `${file.name} is not a copy of a table.` : (error as Error).message);
    }
  };
  const restore = (): void => {
    const plan = deriveRestore(survey, compared!.copy.table);
    close();
    look({ stage: 'run' });
    void startRunning(id, plan);
  };
  const changes = compared?.differences.length ?? 0;
  return (
    <Modal
      open={open}
      title="Put a saved table back"
      okText="Write the table now"
      okButtonProps={{ danger: true, disabled: !compared || compared.fault !== undefined || changes === 0 }}
      onOk={restore}
      onCancel={close}
      destroyOnHidden
    >
      <div className={styles.body}>
        <label htmlFor="table-file">The file that the table was saved to</label>
        <input id="table-file" type="file" accept=".json" onChange={(e) => void read(e.target.files?.[0])} />
        {fault ? <Alert type="error" showIcon title={fault} /> : null}
        {compared?.fault ? <Alert type="error" showIcon title={compared.fault} /> : null}
        {compared && changes === 0 ? <p>The copy and the disk say the same. There is nothing to put back.</p> : null}
        {compared && changes > 0 ? (
          <>
            <p>{`${changes} volume${changes === 1 ? '' : 's'} would change. What lies on the disk is not touched, only where the table says that volumes are.`}</p>
            <ul className={styles.differences}>
              {compared.differences.map((d) => (
                <li key={d.message} className={d.what === 'gone' ? styles.gone : undefined}>
                  {d.message}
                </li>
              ))}
            </ul>
          </>
        ) : null}
      </div>
    </Modal>
  );
}

function compare(survey: Survey, copy: TableCopy): Compared {
  return { copy, differences: compareTables(survey, copy), fault: copyFault(survey, copy) };
}
