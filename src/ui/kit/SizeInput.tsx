'use client';

import { isCoreError } from '@/core/errors';
import { formatMib, formatSize, readSize, type SizeContext, type SizeSyntax } from '@/core/size';
import { Input } from 'antd';
import { useEffect, useRef, useState } from 'react';

interface Props {
  readonly id: string;
  readonly bytes: number;
  readonly context: SizeContext;
  readonly focus: boolean;
  readonly disabled?: boolean;
  readonly onSize: (bytes: number) => void;
  readonly onFault: (fault: string | undefined) => void;
}

/** The decimal mark of the person's own locale. */
const localeSyntax = (): SizeSyntax => ({ decimal: (1.5).toLocaleString().includes(',') ? ',' : '.' });

/** A size as a person types it; the exact MiB stand beside it. Enter or leaving the field takes it. */
export function SizeInput({ id, bytes, context, focus, disabled, onSize, onFault }: Props) {
  const [text, setText] = useState<string>();
  const input = useRef<{ focus(options?: object): void; select(): void }>(null);
  useEffect(() => {
    if (!focus) return;
    input.current?.focus({ preventScroll: true });
    input.current?.select();
  }, [focus]);

  const take = (): void => {
    if (text === undefined) return;
    try {
      onFault(undefined);
      onSize(readSize(text, context, localeSyntax()).bytes);
    } catch (error) {
      if (!isCoreError(error)) throw error;
      onFault(error.message);
    }
    setText(undefined);
  };
  return (
    <Input
      id={id}
      ref={input as never}
      disabled={disabled ?? false}
      value={text ?? formatSize(bytes)}
      suffix={<span style={{ color: 'var(--muted)', fontSize: 12 }}>{formatMib(bytes)}</span>}
      onChange={(e) => setText(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={take}
      onPressEnter={take}
      onKeyDown={(e) => {
        if (e.key !== 'Escape') return;
        setText(undefined);
        onFault(undefined);
      }}
      spellCheck={false}
      autoComplete="off"
    />
  );
}
