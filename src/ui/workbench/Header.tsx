'use client';

import {
  changesIn,
  look,
  redoEdit,
  undoEdit,
  unfinished,
  useBench,
  useCurrent,
  type Current,
  type Stage,
} from '@/state';
import {
  BgColorsOutlined,
  CodeOutlined,
  MoonOutlined,
  QuestionOutlined,
  RedoOutlined,
  SunOutlined,
  UndoOutlined,
} from '@ant-design/icons';
import { Button, Segmented, Tooltip } from 'antd';
import type { UnitSystem } from '@/core/size';
import { memo, useDeferredValue } from 'react';
import styles from './workbench.module.css';

const STAGES: readonly { stage: Stage; word: string }[] = [
  { stage: 'look', word: 'Look' },
  { stage: 'divide', word: 'Divide' },
  { stage: 'review', word: 'Review' },
  { stage: 'run', word: 'Run' },
  { stage: 'prove', word: 'Prove' },
];

type Theme = 'light' | 'dark' | 'system';
const NEXT_THEME: Readonly<Record<Theme, Theme>> = { system: 'light', light: 'dark', dark: 'system' };
const THEME_WORDS: Readonly<Record<Theme, string>> = { system: 'as the machine has it', light: 'light', dark: 'dark' };
const THEME_ICONS = {
  system: <BgColorsOutlined aria-hidden />,
  light: <SunOutlined aria-hidden />,
  dark: <MoonOutlined aria-hidden />,
};

interface Props {
  readonly onOpen: (dialog: 'help' | 'commands') => void;
}

/** Logo, the job, the stages, undo and redo, units, theme, help. It follows a drag as soon as there is time. */
export function Header({ onOpen }: Props) {
  const current = useDeferredValue(useCurrent());
  return <HeaderBar current={current} onOpen={onOpen} />;
}

const HeaderBar = memo(function HeaderBar({ current, onOpen }: Props & { readonly current: Current | undefined }) {
  const stage = useBench((s) => s.stage);
  const units = useBench((s) => s.units);
  const theme = useBench((s) => s.theme);
  const open = current?.disk.status === 'open' && current.job !== undefined;
  const history = current?.job?.history;
  const undoName = history?.past.at(-1)?.name;
  const redoName = history?.future[0]?.name;
  const busy = unfinished(current?.run);
  const readOnly = useBench((s) => s.readOnly);
  const reachable: Readonly<Record<Stage, boolean>> = {
    bench: true,
    look: true,
    divide: !busy,
    review: !busy && changesIn(current?.job) > 0,
    run: current?.run !== undefined,
    prove: current?.run?.certificate !== undefined,
  };
  return (
    <header className={styles.header}>
      <button
        type="button"
        className={styles.logo}
        onClick={() => look({ stage: 'bench' })}
        aria-label="Ullager, to the bench"
      >
        {/* eslint-disable-next-line @next/next/no-img-element -- a local vector, nothing to optimise */}
        <img src="/icon.svg" width={26} height={26} alt="" />
        Ullager
      </button>
      {current && stage !== 'bench' ? (
        <span className={styles.job}>
          Job <strong>{current.disk.stored.name}</strong>
        </span>
      ) : null}
      {open && stage !== 'bench' ? (
        <nav aria-label="Stages" className={styles.stages}>
          {STAGES.map(({ stage: s, word }) => (
            <button
              key={s}
              type="button"
              className={styles.stage}
              aria-current={s === stage ? 'step' : undefined}
              disabled={!reachable[s]}
              onClick={() => look({ stage: s })}
            >
              {word}
            </button>
          ))}
        </nav>
      ) : (
        <span className={styles.stages} />
      )}
      <Tooltip title={undoName ? `Undo: ${undoName}` : 'Nothing to undo'}>
        <Button
          aria-label="Undo"
          icon={<UndoOutlined aria-hidden />}
          disabled={!undoName || busy || readOnly}
          onClick={() => current && undoEdit(current.id)}
        />
      </Tooltip>
      <Tooltip title={redoName ? `Redo: ${redoName}` : 'Nothing to redo'}>
        <Button
          aria-label="Redo"
          icon={<RedoOutlined aria-hidden />}
          disabled={!redoName || busy || readOnly}
          onClick={() => current && redoEdit(current.id)}
        />
      </Tooltip>
      <Tooltip title="Sizes in GiB of 1024, as systems show them, or in GB of 1000, as boxes print them">
        <Segmented<UnitSystem>
          aria-label="Units"
          value={units}
          onChange={(wanted) => look({ units: wanted })}
          options={[
            { value: 'binary', label: 'GiB' },
            { value: 'decimal', label: 'GB' },
          ]}
        />
      </Tooltip>
      <Tooltip title={`Theme: ${THEME_WORDS[theme]}. Press for ${THEME_WORDS[NEXT_THEME[theme]]}`}>
        <Button
          aria-label={`Theme: ${theme}`}
          icon={THEME_ICONS[theme]}
          onClick={() => look({ theme: NEXT_THEME[theme] })}
        />
      </Tooltip>
      <Tooltip title="Commands (Ctrl+K)">
        <Button aria-label="Commands" icon={<CodeOutlined aria-hidden />} onClick={() => onOpen('commands')} />
      </Tooltip>
      <Tooltip title="Guide and keys (?)">
        <Button aria-label="Help" icon={<QuestionOutlined aria-hidden />} onClick={() => onOpen('help')} />
      </Tooltip>
    </header>
  );
});
