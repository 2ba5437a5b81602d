'use client';

import { useBench, useCurrent } from '@/state';
import { Input, Modal } from 'antd';
import { useId, useLayoutEffect, useMemo, useState, type KeyboardEvent } from 'react';
import { generalCommands, planCommands, type Command } from './commands-list';
import styles from './workbench.module.css';

interface Props {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly onHelp: () => void;
}

/** Everything by name. */
export function Commands({ open, onClose, onHelp }: Props) {
  const ahead = useTypedAhead(open);
  return (
    <Modal open={open} onCancel={onClose} footer={null} title="Commands" destroyOnHidden>
      <Palette ahead={ahead} onClose={onClose} onHelp={onHelp} />
    </Modal>
  );
}

/** What is typed while the dialog is on its way, which takes longer than a quick hand: its field begins with it. */
function useTypedAhead(open: boolean): string {
  const [typed, setTyped] = useState('');
  useLayoutEffect(() => {
    if (!open) return;
    const keep = (e: globalThis.KeyboardEvent): void => {
      const there = document.activeElement?.closest('[role="dialog"]');
      if (there || e.key.length !== 1 || e.ctrlKey || e.metaKey || e.altKey) return;
      e.preventDefault();
      e.stopPropagation();
      setTyped((before) => before + e.key);
    };
    window.addEventListener('keydown', keep, true);
    return () => {
      window.removeEventListener('keydown', keep, true);
      setTyped('');
    };
  }, [open]);
  return typed;
}

/** Every word that is typed has to be in the name, in any order. */
function fits(name: string, text: string): boolean {
  const low = name.toLowerCase();
  return text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => low.includes(word));
}

function Palette({ ahead, onClose, onHelp }: Omit<Props, 'open'> & { readonly ahead: string }) {
  const disks = useBench((s) => s.disks);
  const current = useCurrent();
  const selectedId = useBench((s) => s.selected);
  const [text, setText] = useState(ahead);
  const [at, setAt] = useState(0);
  const list = useId();
  const planned = current?.job?.history.present;
  const selected =
    planned?.volumes.find((v) => v.id === selectedId) ??
    planned?.volumes.find((v) => !v.guarded) ??
    planned?.volumes[0];
  const commands = useMemo(
    () => [...generalCommands(disks, current, onHelp), ...(current ? planCommands(current, selected, text) : [])],
    [disks, current, onHelp, selected, text],
  );
  const found = commands.filter((c) => c.name.startsWith('Resize') || fits(c.name, text));
  const chosen = Math.min(at, found.length - 1);
  const run = (command: Command | undefined): void => {
    if (!command) return;
    // The field that was typed in is on its way out and must not swallow the next key.
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    onClose();
    command.act();
  };
  const onKeyDown = (e: KeyboardEvent): void => {
    const step = e.key === 'ArrowDown' ? 1 : e.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    e.preventDefault();
    const next = (chosen + step + found.length) % Math.max(1, found.length);
    setAt(next);
    document.getElementById(`${list}-${next}`)?.scrollIntoView({ block: 'nearest' });
  };
  return (
    <>
      <Input
        autoFocus
        role="combobox"
        aria-expanded
        aria-controls={list}
        aria-activedescendant={found.length > 0 ? `${list}-${chosen}` : undefined}
        aria-label="Command"
        placeholder="What shall be done?"
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onPressEnter={() => run(found[chosen])}
        onKeyDown={onKeyDown}
      />
      <ul id={list} role="listbox" aria-label="Commands" className={styles.commands}>
        {found.map((command, i) => (
          <li
            key={command.name}
            id={`${list}-${i}`}
            role="option"
            aria-selected={i === chosen}
            onClick={() => run(command)}
          >
            {command.name}
          </li>
        ))}
        {found.length === 0 ? <li className={styles.noCommand}>Nothing is called that.</li> : null}
      </ul>
    </>
  );
}
