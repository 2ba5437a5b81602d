import type { Survey } from '@/core/inspect';
import { usedOf } from '@/core/goal';
import type { Layout } from '@/core/layout';
import { layoutColumn } from '@/core/report';
import { roleColours } from './roles';

interface Props {
  readonly layout: Layout;
  readonly survey: Survey;
  readonly width: number;
  readonly height: number;
}

/** Pixels that a section with its gap takes at least. */
const LEAST_PITCH = 4;

/** A disk as a small column: sections by role, filled to what is in use. Decoration; the words stand beside it. */
export function MiniColumn({ layout, survey, width, height }: Props) {
  // Many volumes would leave nothing but gaps.
  const roomy = layout.volumes.length * LEAST_PITCH <= height;
  const { sections } = layoutColumn(layout, { top: 0, height, gap: roomy ? 1 : 0, least: roomy ? 3 : 0 });
  return (
    <svg width={width} height={height} aria-hidden>
      <defs>
        <pattern id="mini-hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" fill="var(--paper)" />
          <line x1="0" y1="0" x2="0" y2="5" stroke="var(--line)" strokeWidth="2" />
        </pattern>
      </defs>
      {sections.map((s) => {
        if (!s.volume)
          return (
            <rect
              key={`gap-${s.start}`}
              y={s.y}
              width={width}
              height={s.height}
              fill="url(#mini-hatch)"
              stroke="var(--line)"
            />
          );
        const { length, role } = s.volume;
        const used = usedOf(survey, s.volume);
        const fill = used > 0 ? Math.max(1, (used / length) * s.height) : 0;
        const { full, pale } = roleColours(role);
        return (
          <g key={s.volume.id}>
            <rect y={s.y} width={width} height={s.height} fill={pale} />
            <rect y={s.y} width={width} height={Math.min(fill, s.height)} fill={full} />
          </g>
        );
      })}
    </svg>
  );
}
