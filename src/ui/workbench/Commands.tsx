'use client';

import { useBench, useCurrent } from '@/state';
import { Modal } from 'antd';
import { Command as Palette } from 'cmdk';
import { useEffectEvent, useLayoutEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { mainOf } from '../divide';
import { generalCommands, planCommands, type Command, type CommandGroup } from './commands-list';
import styles from './workbench.module.css';

interface Props {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly onHelp: () => void;
}

/** Everything by name: what can be done with the volume in hand first. */
export function Commands({ open, onClose, onHelp }: Props) {
  const [text, setText] = useState('');
  const [wasOpen, setWasOpen] = useState(open);
  if (open !== wasOpen) {
    setWasOpen(open);
    // Asked for again while the last dialog is still leaving, it begins empty all the same.
    if (open) setText('');
  }
  const field = useRef<HTMLInputElement>(null);
  useTypedAhead(open, field, (key) => setText((before) => before + key));
  return (
    <Modal
      open={open}
      onCancel={onClose}
      footer={null}
      title="Commands"
      width={620}
      destroyOnHidden
      afterOpenChange={(there) => there && field.current?.focus()}
    >
      <CommandList field={field} text={text} onText={setText} onClose={onClose} onHelp={onHelp} />
    </Modal>
  );
}

/** Takes what is typed before the field has the focus, which it gets later than a quick hand types. */
function useTypedAhead(open: boolean, field: RefObject<HTMLInputElement | null>, take: (key: string) => void): void {
  const taken = useEffectEvent(take);
  useLayoutEffect(() => {
    if (!open) return;
    let arrived = false;
    const keep = (e: globalThis.KeyboardEvent): void => {
      const input = field.current;
      arrived ||= input !== null && document.activeElement === input;
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

/** Every word that is typed has to be in the name, or in the other words for it, in any order; the name weighs more. */
export function weigh(name: string, text: string, others: readonly string[] = []): number {
  const [low, words] = [name.toLowerCase(), text.toLowerCase().trim().split(/\s+/)];
  if (words.every((word) => low.includes(word))) return low.startsWith(words.join(' ')) ? 1 : 0.9;
  const all = `${low} ${others.join(' ').toLowerCase()}`;
  return words.every((word) => all.includes(word)) ? 0.5 : 0;
}

interface ListProps extends Omit<Props, 'open'> {
  readonly field: RefObject<HTMLInputElement | null>;
  readonly text: string;
  readonly onText: (text: string) => void;
}

const GROUPS: readonly CommandGroup[] = ['typed', 'volume', 'plan', 'others', 'go', 'bench'];

function CommandList({ field, text, onText, onClose, onHelp }: ListProps) {
  const disks = useBench((s) => s.disks);
  const current = useCurrent();
  const selectedId = useBench((s) => s.selected);
  const planned = current?.job?.history.present;
  const selected = planned && (planned.volumes.find((v) => v.id === selectedId) ?? mainOf(planned));
  const commands = useMemo(
    () => [...(current ? planCommands(current, selected, text) : []), ...generalCommands(disks, current, onHelp)],
    [disks, current, onHelp, selected, text],
  );
  const titles: Readonly<Record<CommandGroup, string>> = {
    typed: 'As typed',
    volume: selected?.label || 'The volume in hand',
    plan: 'This disk',
    others: 'Other volumes',
    go: 'Go to',
    bench: 'Bench and page',
  };
  const run = (command: Command): void => {
    // The field that was typed in is on its way out and must not swallow the next key.
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    onClose();
    command.act();
  };
  return (
    <Palette label="Commands" filter={weigh} loop className={styles.palette}>
      <Palette.Input
        ref={field}
        autoFocus
        aria-label="Command"
        placeholder="What shall be done? A size, “label Photos” and “new 20 GiB Photos” are fine too"
        value={text}
        onValueChange={onText}
      />
      <Palette.List label="Commands" className={styles.commands}>
        <Palette.Empty className={styles.noCommand}>Nothing is called that.</Palette.Empty>
        {GROUPS.map((group) => {
          const own = commands.filter((c) => c.group === group);
          return own.length === 0 ? null : (
            <Palette.Group key={group} heading={titles[group]} forceMount={group === 'typed'}>
              {own.map((command) => (
                <Palette.Item
                  key={command.name}
                  value={command.name}
                  keywords={[command.words ?? '']}
                  forceMount={group === 'typed'}
                  onSelect={() => run(command)}
                >
                  <span>{command.name}</span>
                  {command.keys ? <kbd>{command.keys}</kbd> : null}
                </Palette.Item>
              ))}
            </Palette.Group>
          );
        })}
      </Palette.List>
    </Palette>
  );
}
