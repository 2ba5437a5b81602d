import { useSizes } from '../kit';
import type { Column } from '@/core/report';
import styles from './columns.module.css';

/** The offset of every boundary, left of a column; marks that would touch are left out. */
export function ScaleMarks({ column, x }: { readonly column: Column; readonly x: number }) {
  const size = useSizes();
  const marks = column.sections.flatMap((s) => [
    { y: s.y + 4, at: s.start },
    { y: s.y + s.height + 4, at: s.end },
  ]);
  const shown: typeof marks = [];
  for (const mark of marks) if (shown.length === 0 || mark.y - shown.at(-1)!.y >= 13) shown.push(mark);
  return (
    <g aria-hidden>
      {shown.map((mark) => (
        <text key={`${mark.y}-${mark.at}`} x={x} y={mark.y} textAnchor="end" className={styles.tick}>
          {size(mark.at)}
        </text>
      ))}
    </g>
  );
}
