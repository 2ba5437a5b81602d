import { endOf, lastUsable, nameOf, type LaidVolume, type Layout } from '@/core/layout';
import { useSizes } from '../kit';
import styles from './columns.module.css';

interface Props {
  readonly planned: Layout;
  readonly volume: LaidVolume;
  /** The right edge of the words, and the height they stand at. */
  readonly x: number;
  readonly y: number;
  readonly carries: number | undefined;
}

const WIDTH = 168;
const LINE = 17;
const MOST_LETTERS = 14;

const shortened = (name: string): string => (name.length > MOST_LETTERS ? `${name.slice(0, MOST_LETTERS - 1)}…` : name);

/** What an edge that is dragged is about to do: to this volume, to what is behind it, and what is carried for it. */
export function EdgeWords({ planned, volume, x, y, carries }: Props) {
  const size = useSizes();
  const next = planned.volumes.find((v) => v.start >= endOf(volume));
  const gap = (next?.start ?? lastUsable(planned)) - endOf(volume);
  const lines: (readonly [string, string])[] = [
    [shortened(nameOf(volume)), size(volume.length)],
    ...(gap > 0 ? [['unallocated', size(gap)] as const] : []),
    ...(next ? [[shortened(nameOf(next)), size(next.length)] as const] : []),
    ['carried', carries === undefined ? '…' : carries === 0 ? 'nothing' : size(carries)],
  ];
  const height = lines.length * LINE + 12;
  const top = Math.max(4, y - height / 2);
  return (
    <g aria-hidden className={styles.words}>
      <rect x={x - WIDTH} y={top} width={WIDTH} height={height} rx={6} fill="var(--panel)" stroke="var(--line)" />
      {lines.map(([word, value], i) => (
        <g key={i} className={styles.small} fill="var(--ink)">
          <text x={x - WIDTH + 10} y={top + 6 + (i + 0.75) * LINE}>
            {word}
          </text>
          <text x={x - 10} y={top + 6 + (i + 0.75) * LINE} textAnchor="end" className={styles.strong}>
            {value}
          </text>
        </g>
      ))}
    </g>
  );
}
