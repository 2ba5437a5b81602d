'use client';

import { look, redoEdit, undoEdit, useBench, useCurrent } from '@/state';
import { AutoComplete, Modal } from 'antd';
import { useMemo, useState } from 'react';

interface Command {
  readonly name: string;
  readonly act: () => void;
}

/** Everything by name. */
export function Commands({
  open,
  onClose,
  onHelp,
}: {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly onHelp: () => void;
}) {
  const disks = useBench((s) => s.disks);
  const current = useCurrent();
  const [text, setText] = useState('');
  const commands = useMemo((): Command[] => {
    const stages = (['look', 'divide', 'review', 'run', 'prove'] as const).map((stage) => ({
      name: `Go to ${stage.charAt(0).toUpperCase()}${stage.slice(1)}`,
      act: () => look({ stage }),
    }));
    return [
      { name: 'Go to the bench', act: () => look({ stage: 'bench' }) },
      ...(current ? stages : []),
      ...disks
        .filter((d) => d.status === 'open')
        .map((d) => ({
          name: `Take ${d.stored.name} in hand`,
          act: () => look({ currentId: d.stored.id, stage: 'divide', selected: undefined }),
        })),
      ...(current
        ? [
            { name: 'Undo', act: () => undoEdit(current.id) },
            { name: 'Redo', act: () => redoEdit(current.id) },
          ]
        : []),
      { name: 'Show sizes in GiB (1024)', act: () => look({ units: 'binary' }) },
      { name: 'Show sizes in GB (1000)', act: () => look({ units: 'decimal' }) },
      { name: 'Light theme', act: () => look({ theme: 'light' }) },
      { name: 'Dark theme', act: () => look({ theme: 'dark' }) },
      { name: 'Help', act: onHelp },
    ];
  }, [disks, current, onHelp]);
  const found = commands.filter((c) => c.name.toLowerCase().includes(text.toLowerCase()));
  const close = (): void => {
    // The field that was typed in is on its way out and must not swallow the next key.
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    setText('');
    onClose();
  };
  return (
    <Modal open={open} onCancel={close} footer={null} title="Commands" destroyOnHidden>
      <AutoComplete
        style={{ width: '100%' }}
        autoFocus
        defaultOpen
        defaultActiveFirstOption
        value={text}
        onChange={setText}
        placeholder="What shall be done?"
        aria-label="Command"
        options={found.map((c) => ({ value: c.name }))}
        onSelect={(name: string) => {
          close();
          commands.find((c) => c.name === name)?.act();
        }}
      />
    </Modal>
  );
}
