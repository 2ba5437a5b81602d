import { useSizes } from '../kit';
import type { Section } from '@/core/report';
import styles from './columns.module.css';

interface Props {
  readonly section: Section;
  readonly x: number;
  readonly width: number;
  readonly onCreate?: () => void;
}

/** Unallocated space: hatched paper. On the planned column it takes a new volume. */
export function GapShape({ section, x, width, onCreate }: Props) {
  const size = useSizes();
  const { y, height } = section;
  const middle = y + height / 2 + 4;
  const words = `${size(section.end - section.start)} unallocated`;
  const interactive = onCreate
    ? {
        role: 'button',
        tabIndex: 0,
        'aria-label': `New volume in ${words}`,
        onClick: onCreate,
        onKeyDown: (e: React.KeyboardEvent) => e.key === 'Enter' && onCreate(),
      }
    : {};
  return (
    <g className={onCreate ? styles.section : undefined} {...interactive}>
      <rect
        x={x + 0.5}
        y={y + 0.5}
        width={width - 1}
        height={Math.max(1, height - 1)}
        rx={4}
        fill="url(#hatch)"
        stroke="var(--line)"
      />
      {height >= 13 ? (
        <g className={styles.small} fill="var(--ink)">
          <rect x={x + 6} y={middle - 12} width={words.length * 6.6 + 8} height={16} rx={3} fill="var(--paper)" />
          <text x={x + 10} y={middle}>
            {words}
          </text>
          {onCreate && height >= 24 && words.length * 6.8 + 70 < width ? (
            <text x={x + width - 10} y={middle} textAnchor="end" className={styles.strong}>
              + New
            </text>
          ) : null}
        </g>
      ) : null}
    </g>
  );
}
