'use client';

import { layoutOf } from '@/core/inspect';
import { nameOf } from '@/core/layout';
import type { ShownSource } from '@/state';
import { useMemo } from 'react';
import { roleColours, useSizes } from '../kit';
import {
  bandsFrom,
  layoutColumn,
  movingBands,
  yInSection,
  type Column,
  type ColumnBox,
  type Moving,
} from '@/core/report';
import { MovingBands } from './MovingBands';
import styles from './columns.module.css';

interface Props {
  readonly source: ShownSource;
  readonly planned: Column;
  /** Where its bands end: the right edge of the planned column. */
  readonly from: number;
  readonly x: number;
  readonly box: ColumnBox;
  /** 0 to 1: how far the band of a volume is filled while a run goes on. */
  readonly moving: readonly Moving[];
  readonly carriedOf: (id: string) => number | undefined;
}

const WIDTH = 72;
/** Letters that fit. */
const LETTERS = 7;
/** A section as high as this has room for its name, and for its size as well. */
const NAMED = 18;
const SIZED = 36;

const shortened = (name: string): string => (name.length > LETTERS ? `${name.slice(0, LETTERS - 1)}…` : name);

/** Another disk that is read: slim, on the right, its bands running left to what is copied, and to where folders go. */
export function SourceColumn({ source, planned, from, x, box, moving, carriedOf }: Props) {
  const { disk, name, survey, written } = source;
  const what = written ? 'written too' : 'only read';
  const size = useSizes();
  const column = useMemo(() => layoutColumn(layoutOf(survey), box), [survey, box]);
  const bands = useMemo(() => bandsFrom(planned, column, disk, from, x), [planned, column, disk, from, x]);
  return (
    <g role="group" aria-label={`${name}, ${what}`}>
      <text x={x + WIDTH} y={12} textAnchor="end" className={styles.small} fill="var(--ink)" fontWeight={600}>
        {name}
      </text>
      <text x={x + WIDTH} y={27} textAnchor="end" className={styles.note}>
        {what}
      </text>
      {bands.map((band) => (
        <g key={band.key} aria-hidden>
          <path d={band.whole} fill={`var(--${band.role})`} opacity={0.12} />
          <path d={band.used} fill={`var(--${band.role})`} opacity={0.18 + 0.2 * (carriedOf(band.key) ?? 1)} />
        </g>
      ))}
      <MovingBands bands={movingBands(column, planned, moving, x, from, disk)} x={(x + from) / 2} />
      {column.sections.map((section) => {
        const { volume, y, height, start } = section;
        if (!volume) return null;
        const used = survey.volumes.find((v) => `kept-${v.number}` === volume.id)?.info?.used;
        const fillEnd = used === undefined ? y + height : yInSection(section, start + used);
        const { full, pale } = roleColours(volume.role);
        return (
          <g key={volume.id}>
            <title>{`${nameOf(volume)}, ${size(volume.length)}`}</title>
            <rect x={x} y={y} width={WIDTH} height={height} rx={3} fill={pale} stroke={full} />
            <rect x={x} y={y} width={WIDTH} height={Math.max(0, fillEnd - y)} rx={3} fill={full} />
            {height >= NAMED ? (
              <text
                x={x + 6}
                y={y + 14}
                className={styles.small}
                fill={fillEnd > y + 8 ? 'var(--on-role)' : 'var(--ink)'}
              >
                {shortened(volume.label || nameOf(volume))}
              </text>
            ) : null}
            {height >= SIZED ? (
              <text
                x={x + 6}
                y={y + 29}
                className={styles.small}
                fill={fillEnd > y + 24 ? 'var(--on-role)' : 'var(--ink)'}
              >
                {size(volume.length)}
              </text>
            ) : null}
          </g>
        );
      })}
    </g>
  );
}
