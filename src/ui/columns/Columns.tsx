'use client';

import type { Gap, Layout, VolumeId } from '@/core/layout';
import type { ShownSource } from '@/state';
import { useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { VolumeCourse } from '@/core/plan';
import { bandsBetween, type Band, layoutColumn, movingBands, type Moving } from '@/core/report';
import { MovingBands } from './MovingBands';
import { CourseMarks } from './CourseMarks';
import { actionsOn, Latest, type ActedOn } from './actions';
import { Edges, GAP } from './Edges';
import { GapShape } from './GapShape';
import { SectionShape } from './SectionShape';
import { SourceColumn } from './SourceColumn';
import { ScaleMarks } from './ScaleMarks';
import styles from './columns.module.css';

interface Props extends ActedOn {
  readonly now: Layout;
  readonly selected?: VolumeId;
  readonly note?: string;
  /** What the two columns are called; Now and Planned where nothing is said. */
  readonly headings?: readonly [string, string];
  /** What is planned is there by now, so that nothing of it is drawn as new. */
  readonly done?: boolean;
  /** Other disks that something is copied from: slim columns on the right. */
  readonly sources?: readonly ShownSource[];
  /** Folders that go from volume to volume. */
  readonly moving?: readonly Moving[];
  readonly readOnly?: boolean;
  /** How far a run is with each volume: how much of its band is filled, and what was checked and proven. */
  readonly courses?: ReadonlyMap<VolumeId, VolumeCourse>;
  /** Volumes in hand beside the one that is selected. */
  readonly also?: readonly VolumeId[];
  /** Bytes that the plan carries, as far as that is known while an edge is dragged. */
  readonly carries?: number | undefined;
  readonly onCreate?: (gap: Gap) => void;
}

const TOP = 34;
const BOTTOM = 16;
const LEAST = 22;
const SCALE = 76;
const MARKS = 122;
/** The width of another disk’s column, and with the room before it. */
const SLIM = 72;
const SLIM_PITCH = 170;
const HEADINGS = ['Now', 'Planned'] as const;
const NO_SOURCES: readonly ShownSource[] = [];
const NOTHING_MOVES: readonly Moving[] = [];

/** The two columns, Now and Planned, joined by bands. Edits are made on the planned one. */
export function Columns(props: Props) {
  const {
    usedOf,
    usedThen = usedOf,
    now,
    planned,
    bounds,
    selected,
    note,
    onSelect,
    onCreate,
    onResize,
    onMove,
    courses,
    also,
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
  const carriedOf = (id: string): number | undefined => courses?.get(id as VolumeId)?.carried;
  const { headings = HEADINGS, sources = NO_SOURCES, moving = NOTHING_MOVES } = props;
  const inner = box.width - SCALE - (sources.length > 0 ? sources.length * SLIM_PITCH : MARKS);
  const width = Math.min(230, Math.max(140, inner * 0.37));
  const x0 = SCALE;
  const x1 = SCALE + Math.min(inner - width, width + Math.max(80, inner - 2 * width));
  const [dragged, setDragged] = useState<VolumeId>();
  const [latest] = useState(() => new Latest());
  useLayoutEffect(() => latest.set({ props, right }));
  const actions = useMemo(() => actionsOn(latest, setDragged), [latest]);
  const bands = useMemo(
    () => bandsBetween(left, right, usedOf, usedThen, x0 + width, x1),
    [left, right, usedOf, usedThen, x0, x1, width],
  );

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
          {headings[0]}
        </text>
        <text x={x1} y={20} className={styles.heading}>
          {headings[1]}
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
            <path
              d={band.used}
              fill={`var(--${band.role})`}
              opacity={carriedOf(band.key) === undefined ? 0.38 : 0.18}
            />
            <CarriedBand band={band} x={x0 + width} width={x1 - x0 - width} share={carriedOf(band.key)} />
          </g>
        ))}
        <MovingBands bands={movingBands(left, right, moving, x0 + width, x1)} x={(x0 + width + x1) / 2} />
        {sources.map((source, i) => (
          <SourceColumn
            key={source.disk}
            source={source}
            planned={right}
            from={x1 + width}
            x={box.width - (sources.length - i) * SLIM_PITCH + SLIM_PITCH - SLIM}
            box={columnBox}
            moving={moving}
            carriedOf={carriedOf}
          />
        ))}
        {left.sections.map((s) =>
          s.volume ? (
            <SectionShape key={s.volume.id} section={s} usedOf={usedOf} x={x0} width={width} planned={false} />
          ) : (
            <GapShape key={`gap-${s.start}`} section={s} x={x0} width={width} />
          ),
        )}
        {right.sections.map((s) =>
          s.volume ? (
            <SectionShape
              key={s.volume.id}
              section={s}
              usedOf={usedThen}
              x={x1}
              width={width}
              planned
              done={props.done}
              selected={selected === s.volume.id || (also?.includes(s.volume.id) ?? false)}
              movable={onMove !== undefined && !s.volume.guarded && planned.table !== 'none'}
              actions={onSelect ? actions : undefined}
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
        {courses ? <CourseMarks courses={courses} now={left} planned={right} x0={x0 + width} x1={x1} /> : null}
        {onResize ? (
          <Edges
            column={right}
            planned={planned}
            bounds={bounds}
            x={x1}
            width={width}
            selected={selected}
            actions={actions}
            dragged={dragged}
            carries={props.carries}
          />
        ) : null}
      </svg>
    </div>
  );
}

interface CarriedProps {
  readonly band: Band;
  readonly x: number;
  readonly width: number;
  readonly share: number | undefined;
}

/** A band filling up while data is carried. */
function CarriedBand({ band: { key, role, used }, x, width, share }: CarriedProps) {
  if (share === undefined) return null;
  const id = `carried-${key}`;
  return (
    <>
      <clipPath id={id}>
        <rect x={x} y={0} width={width * share} height={10_000} />
      </clipPath>
      <path d={used} fill={`var(--${role})`} opacity={0.5} clipPath={`url(#${id})`} />
    </>
  );
}
