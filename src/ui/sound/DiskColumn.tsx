import type { Survey } from '@/core/inspect';
import { usedOf } from '@/core/goal';
import type { Layout } from '@/core/layout';
import { roleColours } from '../kit';

const WIDTH = 54;
/** A section that is lower has no room for its letter. */
const LETTERED = 20;

interface Props {
  readonly layout: Layout;
  readonly survey: Survey;
  readonly height: number;
}

/** The disk as a column to scale, beside its thread. */
export function DiskColumn({ layout, survey, height }: Props) {
  const scale = height / layout.diskSize;
  return (
    <svg width={WIDTH} height={height} aria-hidden>
      <rect width={WIDTH} height={height} fill="var(--paper)" stroke="var(--line)" />
      {layout.volumes.map((volume) => {
        const { full, pale } = roleColours(volume.role);
        const [y, tall] = [volume.start * scale, Math.max(1, volume.length * scale)];
        const filled = Math.min(tall, usedOf(survey, volume) * scale);
        return (
          <g key={volume.id}>
            <rect y={y} width={WIDTH} height={tall} fill={pale} />
            <rect y={y} width={WIDTH} height={filled} fill={full} />
            {volume.letter && tall >= LETTERED ? (
              <>
                <rect x={6} y={y + 4} width={20} height={16} rx={3} fill="var(--panel)" opacity={0.85} />
                <text x={16} y={y + 16} textAnchor="middle" fontSize={12} fontWeight={700} fill="var(--ink)">
                  {volume.letter}
                </text>
              </>
            ) : null}
          </g>
        );
      })}
    </svg>
  );
}
