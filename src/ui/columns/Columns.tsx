'use client';

import type { Survey } from '@/core/inspect';
import {
  endOf,
  nameOf,
  resizeEnd,
  resizeStart,
  type Bounds,
  type Gap,
  type LaidVolume,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { useLayoutEffect, useMemo, useRef, useState } from 'react';
import { useSizes } from '../kit';
import { bandsBetween } from './bands';
import { EdgeHandle } from './EdgeHandle';
import { GapShape } from './GapShape';
import { layoutColumn, snapStep, yInSection, type Column } from './geometry';
import { SectionShape, type Mover } from './SectionShape';
import { ScaleMarks } from './ScaleMarks';
import styles from './columns.module.css';

interface Props {
  readonly survey: Survey;
  readonly now: Layout;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly selected?: VolumeId;
  readonly note?: string;
  readonly readOnly?: boolean;
  /** 0 to 1 by volume: how far its band is filled while a run goes on. */
  readonly carried?: ReadonlyMap<string, number>;
  readonly onSelect?: (id: VolumeId) => void;
  readonly onCreate?: (gap: Gap) => void;
  readonly onResize?: (id: VolumeId, length: number, gesture?: string) => void;
  readonly onStart?: (id: VolumeId, start: number, gesture?: string) => void;
  readonly onMove?: (id: VolumeId, start: number, gesture?: string) => void;
  /** Puts a volume past its neighbour. */
  readonly onPass?: (id: VolumeId, neighbours: 1 | -1) => void;
}

const TOP = 34;
const BOTTOM = 16;
const GAP = 3;
const LEAST = 22;
const SCALE = 76;
const MARKS = 92;

/** The two columns, Now and Planned, joined by bands. Edits are made on the planned one. */
export function Columns(props: Props) {
  const {
    survey,
    now,
    planned,
    bounds,
    selected,
    note,
    onSelect,
    onCreate,
    onResize,
    onStart,
    onMove,
    onPass,
    carried,
  } = props;
  const frame = useRef<HTMLDivElement>(null);
  const [box, setBox] = useState({ width: 660, height: 600 });
  useLayoutEffect(() => {
    const element = frame.current!;
    const observer = new ResizeObserver(() => setBox({ width: element.clientWidth, height: element.clientHeight }));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const count = Math.max(now.volumes.length, planned.volumes.length);
  const height = Math.max(box.height - TOP - BOTTOM, count * (LEAST + GAP));
  const columnBox = useMemo(() => ({ top: TOP, height, gap: GAP, least: LEAST }), [height]);
  const left = useMemo(() => layoutColumn(now, columnBox), [now, columnBox]);
  const right = useMemo(() => layoutColumn(planned, columnBox), [planned, columnBox]);
  const inner = box.width - SCALE - MARKS;
  const width = Math.min(230, Math.max(140, inner * 0.37));
  const x0 = SCALE;
  const x1 = SCALE + Math.min(inner - width, width + Math.max(80, inner - 2 * width));
  const bands = useMemo(() => bandsBetween(left, right, survey, x0 + width, x1), [left, right, survey, x0, x1, width]);

  return (
    <div className={styles.frame} ref={frame}>
      <svg
        className={styles.svg}
        width={box.width}
        height={TOP + height + BOTTOM}
        role="group"
        aria-label="The disk now and planned"
      >
        <defs>
          <pattern id="hatch" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="8" height="8" fill="var(--paper)" />
            <line x1="0" y1="0" x2="0" y2="8" stroke="var(--line)" strokeWidth="3" />
          </pattern>
        </defs>
        <text x={x0} y={20} className={styles.heading}>
          Now
        </text>
        <text x={x1} y={20} className={styles.heading}>
          Planned
        </text>
        {note ? (
          <text x={x1 + width} y={20} textAnchor="end" className={styles.note}>
            {note}
          </text>
        ) : null}
        <ScaleMarks column={left} x={x0 - 10} />
        {bands.map((band) => (
          <g key={band.key} aria-hidden>
            <path d={band.whole} fill={`var(--${band.role})`} opacity={0.12} />
            <path d={band.used} fill={`var(--${band.role})`} opacity={carried ? 0.18 : 0.38} />
            {carried ? (
              <CarriedBand
                path={band.used}
                role={band.role}
                x={x0 + width}
                width={x1 - x0 - width}
                share={carried.get(band.key) ?? 0}
              />
            ) : null}
          </g>
        ))}
        {left.sections.map((s) =>
          s.volume ? (
            <SectionShape key={s.volume.id} section={s} survey={survey} x={x0} width={width} planned={false} />
          ) : (
            <GapShape key={`gap-${s.start}`} section={s} x={x0} width={width} />
          ),
        )}
        {right.sections.map((s) =>
          s.volume ? (
            <SectionShape
              key={s.volume.id}
              section={s}
              survey={survey}
              x={x1}
              width={width}
              planned
              selected={selected === s.volume.id}
              {...(onSelect ? { onSelect: () => onSelect(s.volume!.id) } : {})}
              {...(onMove && onPass && !s.volume.guarded && planned.table !== 'none'
                ? { onMove: moverOf(s.volume, right, onMove, onPass) }
                : {})}
            />
          ) : (
            <GapShape
              key={`gap-${s.start}`}
              section={s}
              x={x1}
              width={width}
              {...(onCreate ? { onCreate: () => onCreate({ start: s.start, end: s.end }) } : {})}
            />
          ),
        )}
        {onResize ? (
          <Edges
            column={right}
            planned={planned}
            bounds={bounds}
            x={x1}
            width={width}
            selected={selected}
            onResize={onResize}
            {...(onStart ? { onStart } : {})}
          />
        ) : null}
      </svg>
    </div>
  );
}

function moverOf(
  volume: LaidVolume,
  column: Column,
  onMove: NonNullable<Props['onMove']>,
  onPass: NonNullable<Props['onPass']>,
): Mover {
  const step = snapStep(column.bytesPerPixel);
  return {
    drag: (from, pixels, gesture) => {
      const wanted = Math.round((from + pixels * column.bytesPerPixel) / step) * step;
      if (wanted !== volume.start) onMove(volume.id, Math.max(0, wanted), gesture);
    },
    nudge: (steps) => onMove(volume.id, Math.max(0, volume.start + steps * step)),
    pass: (neighbours) => onPass(volume.id, neighbours),
  };
}

interface EdgesProps {
  readonly column: Column;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly x: number;
  readonly width: number;
  readonly selected: VolumeId | undefined;
  readonly onResize: NonNullable<Props['onResize']>;
  readonly onStart?: NonNullable<Props['onStart']>;
}

/** The draggable ends, the floor of the volume in hand, and the offset of its end. */
function Edges({ column, planned, bounds, x, width, selected, onResize, onStart }: EdgesProps) {
  const size = useSizes();
  const [dragged, setDragged] = useState<VolumeId>();
  const shown = dragged ?? selected;
  const step = snapStep(column.bytesPerPixel);
  return (
    <>
      {column.sections.map((section) => {
        const { volume } = section;
        if (!volume || !movable(volume, bounds)) return null;
        const { least, most } = rangeOf(planned, bounds, volume);
        if (least >= most) return null;
        const y = section.y + section.height + GAP / 2;
        const inHand = shown === volume.id;
        const floorY = inHand && least > 0 ? yInSection(section, section.start + least) : undefined;
        return (
          <g key={volume.id}>
            {floorY !== undefined && volume.origin.kind === 'kept' ? (
              <g aria-hidden>
                <line
                  x1={x - 14}
                  x2={x + width + 8}
                  y1={floorY}
                  y2={floorY}
                  stroke="var(--danger)"
                  strokeWidth={1.5}
                  strokeDasharray="3 3"
                />
                <text x={x + width + 12} y={floorY - 3} className={styles.floor}>
                  floor
                </text>
                <text x={x + width + 12} y={floorY + 11} className={styles.floor}>
                  {size(least)}
                </text>
              </g>
            ) : null}
            {inHand && (floorY === undefined || Math.abs(floorY - y) > 24) ? (
              <text x={x + width + 12} y={y + 4} className={styles.mark}>
                {size(endOf(volume))}
              </text>
            ) : null}
            <EdgeHandle
              x={x}
              width={width}
              y={y}
              value={volume.length}
              least={least}
              most={most}
              bytesPerPixel={column.bytesPerPixel}
              step={step}
              label={`End of ${nameOf(volume)}`}
              words={size(volume.length)}
              onSize={(bytes, gesture) => onResize(volume.id, bytes, gesture)}
              onDragging={(dragging) => setDragged(dragging ? volume.id : undefined)}
            />
            {inHand && onStart && planned.table !== 'none' ? (
              <EdgeHandle
                x={x}
                width={width}
                y={section.y - GAP / 2}
                value={volume.start}
                {...startRange(planned, bounds, volume)}
                bytesPerPixel={column.bytesPerPixel}
                step={step}
                edge="start"
                label={`Start of ${nameOf(volume)}`}
                words={size(volume.start)}
                onSize={(bytes, gesture) => onStart(volume.id, bytes, gesture)}
                onDragging={(dragging) => setDragged(dragging ? volume.id : undefined)}
              />
            ) : null}
          </g>
        );
      })}
    </>
  );
}

function movable(volume: LaidVolume, bounds: Bounds): boolean {
  if (volume.guarded) return false;
  return volume.origin.kind === 'new' || volume.format !== undefined || bounds.has(volume.origin.number);
}

/** The sizes a volume's end can give it: the edits themselves are asked, so that line and refusal never disagree. */
function rangeOf(planned: Layout, bounds: Bounds, volume: LaidVolume): { least: number; most: number } {
  const nearest = (wanted: number): number => {
    const result = resizeEnd(planned, bounds, volume.id, wanted);
    return result.ok ? wanted : (result.nearest ?? volume.length);
  };
  const low = nearest(0);
  const high = nearest(planned.diskSize - volume.start);
  return { least: Math.min(low, volume.length), most: Math.max(high, volume.length) };
}

/** Where a volume's start can be; its end stays. */
function startRange(planned: Layout, bounds: Bounds, volume: LaidVolume): { least: number; most: number } {
  const nearest = (wanted: number): number => {
    const result = resizeStart(planned, bounds, volume.id, wanted);
    return result.ok ? wanted : (result.nearest ?? volume.start);
  };
  return { least: Math.min(nearest(0), volume.start), most: Math.max(nearest(endOf(volume)), volume.start) };
}

interface CarriedProps {
  readonly path: string;
  readonly role: string;
  readonly x: number;
  readonly width: number;
  readonly share: number;
}

/** A band filling up while data is carried. */
function CarriedBand({ path, role, x, width, share }: CarriedProps) {
  const id = `carried-${x}-${path.length}-${role}`;
  return (
    <>
      <clipPath id={id}>
        <rect x={x} y={0} width={width * share} height={10_000} />
      </clipPath>
      <path d={path} fill={`var(--${role})`} opacity={0.5} clipPath={`url(#${id})`} />
    </>
  );
}
