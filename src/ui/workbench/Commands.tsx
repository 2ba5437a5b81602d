'use client';

import { useEffectEvent, useLayoutEffect, useRef, useState, type RefObject } from 'react';
import { later, useOnce } from '../kit';

/** What is typed meanwhile is kept for it. */
const CommandDialog = later(() => import('./CommandDialog').then((m) => m.CommandDialog));

interface Props {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly onHelp: () => void;
}

/** Everything by name: what can be done with the volume in hand first. */
export function Commands({ open, onClose, onHelp }: Props) {
  const [text, setText] = useState('');
  const [entered, setEntered] = useState(false);
  const [wasOpen, setWasOpen] = useState(open);
  if (open !== wasOpen) {
    setWasOpen(open);
    // Asked for again while the last dialog is still leaving, it begins empty all the same.
    if (open) {
      setText('');
      setEntered(false);
    }
  }
  const field = useRef<HTMLInputElement>(null);
  useTypedAhead(open, field, (key) => {
    if (key === 'Escape') onClose();
    else if (key === 'Enter') setEntered(true);
    else if (!entered) setText((before) => before + key);
  });
  const once = useOnce(open);
  if (!once) return null;
  return (
    <CommandDialog
      open={open}
      field={field}
      entered={entered}
      text={text}
      onText={setText}
      onClose={onClose}
      onHelp={onHelp}
    />
  );
}

/** Takes what is typed, that it was entered, or not wanted after all, before the field has the focus: a quick hand is faster. */
function useTypedAhead(open: boolean, field: RefObject<HTMLInputElement | null>, take: (key: string) => void): void {
  const taken = useEffectEvent(take);
  useLayoutEffect(() => {
    if (!open) return;
    let arrived = false;
    const keep = (e: globalThis.KeyboardEvent): void => {
      const input = field.current;
      arrived ||= input !== null && document.activeElement === input;
      if (arrived || e.ctrlKey || e.metaKey || e.altKey) return;
      if (e.key.length !== 1 && e.key !== 'Enter' && e.key !== 'Escape') return;
      e.preventDefault();
      e.stopPropagation();
      taken(e.key);
      input?.focus();
    };
    window.addEventListener('keydown', keep, true);
    return () => window.removeEventListener('keydown', keep, true);
  }, [open, field]);
}
