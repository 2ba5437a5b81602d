'use client';

import { useSizes } from '../kit';
import type { MovingBand } from '@/core/report';
import styles from './columns.module.css';

const LETTERS = 12;
const TAG = { width: 96, height: 36 };

/** Folders on their way from one volume to another, each with its name and size. */
export function MovingBands({ bands, x }: { readonly bands: readonly MovingBand[]; readonly x: number }) {
  const size = useSizes();
  return bands.map((band) => (
    <g key={band.key} role="img" aria-label={`${band.name}, ${size(band.bytes)}, goes to another volume`}>
      <path d={band.path} fill={`var(--${band.role})`} opacity={0.55} />
      <rect
        x={x - TAG.width / 2}
        y={band.y - TAG.height / 2}
        width={TAG.width}
        height={TAG.height}
        rx={5}
        fill="var(--panel)"
        stroke={`var(--${band.role})`}
      />
      <text x={x} y={band.y - 3} textAnchor="middle" className={styles.small} fill="var(--ink)" fontWeight={600}>
        {band.name.length > LETTERS ? `${band.name.slice(0, LETTERS - 1)}…` : band.name}
      </text>
      <text x={x} y={band.y + 12} textAnchor="middle" className={styles.note}>
        {size(band.bytes)}
      </text>
    </g>
  ));
}
