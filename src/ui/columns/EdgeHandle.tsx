import { useGesture } from '@use-gesture/react';
import { useRef } from 'react';
import styles from './columns.module.css';

interface Props {
  readonly x: number;
  readonly width: number;
  readonly y: number;
  /** Where the edge is, in bytes from the volume's start, and what it may be. */
  readonly value: number;
  readonly least: number;
  readonly most: number;
  readonly bytesPerPixel: number;
  readonly step: number;
  readonly edge?: 'start' | 'end';
  readonly label: string;
  readonly words: string;
  /** A wish for the volume's size; sizes of one drag carry the same gesture. */
  readonly onSize: (bytes: number, gesture?: string) => void;
  readonly onDragging: (dragging: boolean) => void;
}

/** A draggable edge of a volume. A slider for the keyboard: arrows nudge it, with Shift eight times as far. */
export function EdgeHandle(props: Props) {
  const { x, width, y, value, least, most, bytesPerPixel, step, label, words, onSize, onDragging } = props;
  const isStart = props.edge === 'start';
  const middle = x + width / 2;
  // The grip of a start hangs into its own volume, so that it is not on the end of the one before.
  const [top, tall] = isStart ? [y + 1, 12] : [y - 9, 18];
  const begin = useRef({ value, bytesPerPixel, step, gesture: '' });
  const bind = useGesture({
    onDragStart: () => {
      begin.current = { value, bytesPerPixel, step, gesture: `${label} ${crypto.randomUUID()}` };
      onDragging(true);
    },
    onDrag: ({ movement: [, dy] }) => {
      const from = begin.current;
      const wanted = Math.round((from.value + dy * from.bytesPerPixel) / from.step) * from.step;
      onSize(Math.max(0, wanted), from.gesture);
    },
    onDragEnd: () => onDragging(false),
  });
  const onKeyDown = (event: React.KeyboardEvent): void => {
    const far = event.shiftKey ? 8 : 1;
    const moves: Record<string, number> = {
      ArrowDown: value + step * far,
      ArrowUp: value - step * far,
      Home: least,
      End: most,
    };
    const wanted = moves[event.key];
    if (wanted === undefined) return;
    event.preventDefault();
    onSize(wanted);
  };
  return (
    <g
      {...bind()}
      className={styles.edge}
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
      {isStart ? null : <rect x={x - 8} y={y - 9} width={width + 16} height={18} fill="transparent" />}
      <line
        x1={isStart ? x : x - 8}
        x2={isStart ? x + width : x + width + 8}
        y1={y}
        y2={y}
        stroke="var(--ink)"
        strokeWidth={2}
      />
      <rect className={styles.grip} x={middle - 24} y={top} width={48} height={tall} rx={tall / 2} fill="var(--ink)" />
      <path
        d={
          isStart
            ? `M${middle - 4} ${y + 9} l4 -4 l4 4`
            : `M${middle - 5} ${y - 2} l5 -4 l5 4 M${middle - 5} ${y + 2} l5 4 l5 -4`
        }
        stroke="var(--panel)"
        strokeWidth={1.5}
        fill="none"
      />
    </g>
  );
}
