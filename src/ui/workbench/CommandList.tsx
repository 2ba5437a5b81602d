'use client';

import { useBench, useCurrent } from '@/state';
import { Command as Palette } from 'cmdk';
import { useEffect, useMemo, type RefObject } from 'react';
import { mainOf } from '../divide';
import { generalCommands, planCommands, type Command, type CommandGroup } from './commands-list';
import styles from './workbench.module.css';

/** Every word that is typed has to be in the name, or in the other words for it, in any order; the name weighs more. */
export function weigh(name: string, text: string, others: readonly string[] = []): number {
  const [low, words] = [name.toLowerCase(), text.toLowerCase().trim().split(/\s+/)];
  if (words.every((word) => low.includes(word))) return low.startsWith(words.join(' ')) ? 1 : 0.9;
  const all = `${low} ${others.join(' ').toLowerCase()}`;
  return words.every((word) => all.includes(word)) ? 0.5 : 0;
}

export interface ListProps {
  readonly onClose: () => void;
  readonly onHelp: () => void;
  readonly field: RefObject<HTMLInputElement | null>;
  /** What was typed is meant, and was entered before there was a field for it. */
  readonly entered: boolean;
  readonly text: string;
  readonly onText: (text: string) => void;
}

const GROUPS: readonly CommandGroup[] = ['typed', 'volume', 'plan', 'others', 'go', 'bench'];

/** The field and the list of what it can be. */
export function CommandList({ field, entered, text, onText, onClose, onHelp }: ListProps) {
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
  useEffect(() => {
    if (!entered) return;
    // The first that fits is in hand once the list has come to rest.
    const timer = setTimeout(() => {
      field.current?.focus();
      field.current?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    });
    return () => clearTimeout(timer);
  }, [entered, field]);
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
