import { useGesture } from '@use-gesture/react';
import type { VolumeId } from '@/core/layout';
import { memo, useRef } from 'react';
import styles from './columns.module.css';

/** What a drag began with. */
export interface Grabbed {
  readonly value: number;
  readonly bytesPerPixel: number;
  readonly gesture: string;
}

interface Props {
  readonly x: number;
  readonly width: number;
  readonly y: number;
  /** Where the edge is, in bytes from the volume's start, and what it may be. */
  readonly value: number;
  readonly least: number;
  readonly most: number;
  readonly edge?: 'start' | 'end';
  readonly label: string;
  readonly words: string;
  readonly id: VolumeId;
  /** Not shown until it is pointed at or has the focus, where there is little room. */
  readonly quiet: boolean;
  /** The same object for every handle and every drawing. */
  readonly actions: EdgeActions;
}

type Edge = 'start' | 'end';

/** A grip, in pixels. */
export const GRIP = 28;
const TALL = 20;

/** What can be done to an edge: a wish for a size or a start; those of one drag carry the same gesture. */
export interface EdgeActions {
  /** So many pixels from where it was when the drag began; freely, it is drawn to nothing. */
  readonly dragEdge: (id: VolumeId, edge: Edge, from: Grabbed, pixels: number, freely: boolean) => void;
  readonly nudgeEdge: (id: VolumeId, edge: Edge, steps: number) => void;
  readonly setEdge: (id: VolumeId, edge: Edge, bytes: number) => void;
  /** The scale there is when a drag begins, which stays for the drag. */
  readonly grab: (value: number, gesture: string) => Grabbed;
  readonly dragging: (id: VolumeId | undefined) => void;
}

/** A draggable edge of a volume. A slider for the keyboard: arrows nudge it, with Shift eight times as far. */
export const EdgeHandle = memo(function EdgeHandle(props: Props) {
  const { id, x, width, y, value, least, most, label, words, edge = 'end', quiet, actions } = props;
  const onDragging = (dragging: boolean): void => actions.dragging(dragging ? id : undefined);
  const isStart = edge === 'start';
  // Grips stand beside the column, of ends on the right and of starts on the left: no name is under one, nor another grip.
  const left = isStart ? x - GRIP - 2 : x + width + 2;
  const middle = left + GRIP / 2;
  const begin = useRef<Grabbed>(null);
  const bind = useGesture({
    onDragStart: () => {
      begin.current = actions.grab(value, `${label} ${crypto.randomUUID()}`);
      onDragging(true);
    },
    onDrag: ({ movement: [, dy], shiftKey, altKey }) =>
      begin.current && actions.dragEdge(id, edge, begin.current, dy, shiftKey || altKey),
    onDragEnd: () => onDragging(false),
  });
  const onKeyDown = (event: React.KeyboardEvent): void => {
    const far = event.shiftKey ? 8 : 1;
    const steps = event.key === 'ArrowDown' ? far : event.key === 'ArrowUp' ? -far : undefined;
    const end = event.key === 'Home' ? least : event.key === 'End' ? most : undefined;
    if (steps === undefined && end === undefined) return;
    event.preventDefault();
    if (steps !== undefined) actions.nudgeEdge(id, edge, steps);
    else actions.setEdge(id, edge, end!);
  };
  return (
    <g
      {...bind()}
      className={quiet ? `${styles.edge} ${styles.quiet}` : styles.edge}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-orientation="vertical"
      aria-valuenow={value}
      aria-valuemin={least}
      aria-valuemax={most}
      aria-valuetext={words}
      onKeyDown={onKeyDown}
    >
      {isStart ? null : <rect x={x} y={y - 5} width={width} height={10} fill="transparent" />}
      <line
        x1={isStart ? x - 2 : x}
        x2={isStart ? x + width : x + width + 2}
        y1={y}
        y2={y}
        stroke="var(--ink)"
        strokeWidth={2}
      />
      <rect className={styles.reach} x={middle - 22} y={y - 22} width={44} height={44} fill="transparent" />
      <rect className={styles.grip} x={left} y={y - TALL / 2} width={GRIP} height={TALL} rx={6} fill="var(--ink)" />
      <path
        d={`M${middle - 5} ${y - 2} l5 -4 l5 4 M${middle - 5} ${y + 2} l5 4 l5 -4`}
        stroke="var(--panel)"
        strokeWidth={1.5}
        fill="none"
      />
    </g>
  );
});
