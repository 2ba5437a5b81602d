import type { VolumeCourse } from '@/core/plan';
import { nameOf, type VolumeId } from '@/core/layout';
import type { Column } from '@/core/report';
import styles from './columns.module.css';

interface Props {
  readonly courses: ReadonlyMap<VolumeId, VolumeCourse>;
  readonly now: Column;
  readonly planned: Column;
  /** The right edge of the one column and the left edge of the other. */
  readonly x0: number;
  readonly x1: number;
}

const RADIUS = 9;
const MARK_WORDS = { waiting: 'not yet', going: 'just now', done: 'done' } as const;

/** What was read before, beside Now, and what is proven, beside Planned: a ring that waits, a dot, a tick. */
export function CourseMarks({ courses, now, planned, x0, x1 }: Props) {
  const marks = [
    ...now.sections.flatMap(({ volume, y, height }) => {
      const mark = volume && courses.get(volume.id)?.checked;
      return mark ? [{ volume, mark, of: 'check', x: x0 + RADIUS + 6, y: y + height / 2 }] : [];
    }),
    ...planned.sections.flatMap(({ volume, y, height }) => {
      const mark = volume && courses.get(volume.id)?.proven;
      return mark ? [{ volume, mark, of: 'proof', x: x1 - RADIUS - 6, y: y + height / 2 }] : [];
    }),
  ];
  return (
    <>
      {marks.map(({ volume, mark, of, x, y }) => (
        <g key={`${of}-${volume.id}`} role="img" aria-label={`${of} of ${nameOf(volume)}: ${MARK_WORDS[mark]}`}>
          <circle cx={x} cy={y} r={RADIUS} className={mark === 'done' ? styles.markDone : styles.markOpen} />
          {mark === 'done' ? <path d={`M${x - 4} ${y} l3 3 l5 -6`} className={styles.markTick} /> : null}
          {mark === 'going' ? <circle cx={x} cy={y} r={4} className={styles.markDone} /> : null}
        </g>
      ))}
    </>
  );
}
