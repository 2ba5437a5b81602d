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
const LINE = 15;
/** Of small words, above and below their line. */
const ABOVE = 10;
const BELOW = 4;

/** A line below where what is in use ends, if that would go through its words. */
const clearOf = (edge: number, line: number): number =>
  edge > line - ABOVE && edge < line + BELOW ? edge + ABOVE + 2 : line;

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
        const nameAt = clearOf(fillEnd, y + 14);
        const lines = [
          { words: shortened(volume.label || nameOf(volume)), at: nameAt },
          { words: size(volume.length), at: clearOf(fillEnd, nameAt + LINE) },
        ].filter(({ at }) => at + BELOW <= y + height);
        return (
          <g key={volume.id}>
            <title>{`${nameOf(volume)}, ${size(volume.length)}`}</title>
            <rect x={x} y={y} width={WIDTH} height={height} rx={3} fill={pale} stroke={full} />
            <rect x={x} y={y} width={WIDTH} height={Math.max(0, fillEnd - y)} rx={3} fill={full} />
            {lines.map(({ words, at }) => (
              <text
                key={words}
                x={x + 6}
                y={at}
                className={styles.small}
                fill={at < fillEnd ? 'var(--on-role)' : 'var(--ink)'}
              >
                {words}
              </text>
            ))}
          </g>
        );
      })}
    </g>
  );
}
