'use client';

import { useBench, useCurrent } from '@/state';
import { Input, Modal, type InputRef } from 'antd';
import {
  useEffectEvent,
  useId,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type RefObject,
} from 'react';
import { generalCommands, planCommands, type Command } from './commands-list';
import styles from './workbench.module.css';

interface Props {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly onHelp: () => void;
}

/** Everything by name. */
export function Commands({ open, onClose, onHelp }: Props) {
  const [text, setText] = useState('');
  const field = useRef<InputRef>(null);
  useTypedAhead(open, field, (key) => setText((before) => before + key));
  return (
    <Modal
      open={open}
      onCancel={onClose}
      footer={null}
      title="Commands"
      destroyOnHidden
      afterOpenChange={(there) => there && field.current?.focus()}
      afterClose={() => setText('')}
    >
      <Palette field={field} text={text} onText={setText} onClose={onClose} onHelp={onHelp} />
    </Modal>
  );
}

/** Takes what is typed before the field has the focus, which it gets later than a quick hand types. */
function useTypedAhead(open: boolean, field: RefObject<InputRef | null>, take: (key: string) => void): void {
  const taken = useEffectEvent(take);
  useLayoutEffect(() => {
    if (!open) return;
    let arrived = false;
    const keep = (e: globalThis.KeyboardEvent): void => {
      const input = field.current?.input;
      arrived ||= input !== undefined && document.activeElement === input;
      if (arrived || e.key.length !== 1 || e.ctrlKey || e.metaKey || e.altKey) return;
      e.preventDefault();
      e.stopPropagation();
      taken(e.key);
      input?.focus();
    };
    window.addEventListener('keydown', keep, true);
    return () => window.removeEventListener('keydown', keep, true);
  }, [open, field]);
}

/** Every word that is typed has to be in the name, in any order. */
function fits(name: string, text: string): boolean {
  const low = name.toLowerCase();
  return text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => low.includes(word));
}

interface PaletteProps extends Omit<Props, 'open'> {
  readonly field: RefObject<InputRef | null>;
  readonly text: string;
  readonly onText: (text: string) => void;
}

function Palette({ field, text, onText, onClose, onHelp }: PaletteProps) {
  const disks = useBench((s) => s.disks);
  const current = useCurrent();
  const selectedId = useBench((s) => s.selected);
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
        ref={field}
        autoFocus
        role="combobox"
        aria-expanded
        aria-controls={list}
        aria-activedescendant={found.length > 0 ? `${list}-${chosen}` : undefined}
        aria-label="Command"
        placeholder="What shall be done?"
        value={text}
        onChange={(e) => {
          onText(e.target.value);
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
