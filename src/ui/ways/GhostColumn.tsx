import type { Survey } from '@/core/inspect';
import { usedOf } from '@/core/goal';
import type { Layout, VolumeId } from '@/core/layout';
import { layoutColumn } from '@/core/report';
import { roleColours, useSizes } from '../kit';
import styles from './ways.module.css';

interface Props {
  readonly layout: Layout;
  readonly before: Layout;
  readonly survey: Survey;
  readonly wanted: VolumeId;
}

const WIDTH = 150;
const HEIGHT = 260;

/** A column that could be. What changes is dashed, what is wanted has a strong edge. */
export function GhostColumn({ layout, before, survey, wanted }: Props) {
  const size = useSizes();
  const { sections } = layoutColumn(layout, { top: 1, height: HEIGHT - 2, gap: 2, least: 15 });
  return (
    <svg width={WIDTH} height={HEIGHT} className={styles.ghost} aria-hidden>
      {sections.map(({ volume, start, end, y, height }) => {
        if (!volume)
          return (
            <g key={`gap-${start}`}>
              <rect x={1} y={y} width={WIDTH - 2} height={height} fill="url(#hatch)" stroke="var(--line)" />
              {height >= 15 ? (
                <text x={8} y={y + height / 2 + 4} fill="var(--muted)">{`${size(end - start)} unallocated`}</text>
              ) : null}
            </g>
          );
        const was = before.volumes.find((v) => v.id === volume.id);
        const same = was?.start === volume.start && was.length === volume.length;
        const { full, pale } = roleColours(volume.role);
        const used = Math.min(height, (usedOf(survey, volume) / volume.length) * height);
        return (
          <g key={volume.id}>
            <rect x={1} y={y} width={WIDTH - 2} height={height} rx={3} fill={pale} />
            <rect x={1} y={y} width={WIDTH - 2} height={used} rx={3} fill={full} opacity={0.55} />
            <rect
              x={1.5}
              y={y + 0.5}
              width={WIDTH - 3}
              height={Math.max(1, height - 1)}
              rx={3}
              fill="none"
              stroke={volume.id === wanted ? 'var(--ink)' : full}
              strokeWidth={volume.id === wanted ? 2 : 1}
              strokeDasharray={same ? undefined : '5 3'}
            />
            <text x={8} y={y + Math.min(height / 2 + 4, 15)} className={styles.name} fill="var(--ink)">
              {[volume.letter, volume.label].filter(Boolean).join(' ') || volume.role}
            </text>
            {height >= 34 ? (
              <text x={8} y={y + 30} fill="var(--ink)">
                {size(volume.length)}
              </text>
            ) : null}
          </g>
        );
      })}
      <defs>
        <pattern id="hatch" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="8" height="8" fill="var(--paper)" />
          <line x1="0" y1="0" x2="0" y2="8" stroke="var(--line)" strokeWidth="3" />
        </pattern>
      </defs>
    </svg>
  );
}
