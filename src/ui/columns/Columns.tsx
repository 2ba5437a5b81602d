'use client';

import {
  endOf,
  endRange,
  isResizable,
  nameOf,
  roughEndRange,
  startRange,
  volumeOf,
  type Bounds,
  type Gap,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { useLayoutEffect, useMemo, useRef, useState } from 'react';
import { MIB } from '@/core/size';
import { useSizes } from '../kit';
import type { VolumeCourse } from '@/core/plan';
import {
  bandsBetween,
  type Band,
  layoutColumn,
  movingBands,
  snapStep,
  yInSection,
  type Column,
  type Moving,
  type UsedOf,
} from '@/core/report';
import { MovingBands } from './MovingBands';
import { CourseMarks } from './CourseMarks';
import { EdgeHandle, GRIP, type EdgeActions } from './EdgeHandle';
import { EdgeWords } from './EdgeWords';
import { GapShape } from './GapShape';
import { SectionShape, type SectionActions } from './SectionShape';
import { snapLength, snapStart } from './snap';
import { SourceColumn, type ShownSource } from './SourceColumn';
import { ScaleMarks } from './ScaleMarks';
import styles from './columns.module.css';

interface Props {
  /** How much of each volume is in use, now and as planned. */
  readonly usedOf: UsedOf;
  readonly now: Layout;
  readonly planned: Layout;
  readonly bounds: Bounds;
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
  /** Takes a volume in hand, alone or together with those that are. */
  readonly onSelect?: (id: VolumeId, together: boolean) => void;
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
const MARKS = 122;
/** The width of another disk’s column, and with the room before it. */
const SLIM = 72;
const SLIM_PITCH = 170;
const HEADINGS = ['Now', 'Planned'] as const;
const NO_SOURCES: readonly ShownSource[] = [];
const NOTHING_MOVES: readonly Moving[] = [];
/** Lower sections show their grip only when they are pointed at. */
const QUIET_BELOW = 40;

/** The two columns, Now and Planned, joined by bands. Edits are made on the planned one. */
export function Columns(props: Props) {
  const { usedOf, now, planned, bounds, selected, note, onSelect, onCreate, onResize, onMove, courses, also } = props;
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
  const bands = useMemo(() => bandsBetween(left, right, usedOf, x0 + width, x1), [left, right, usedOf, x0, x1, width]);

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
              usedOf={usedOf}
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

interface Drawn {
  readonly props: Props;
  readonly right: Column;
}

/** What was drawn last, for what happens between two drawings. */
class Latest {
  #drawn: Drawn | undefined;

  get(): Drawn {
    return this.#drawn!;
  }

  set(drawn: Drawn): void {
    this.#drawn = drawn;
  }
}

/** What sections and edges can do, as one object that stays the same while what is drawn changes. */
function actionsOn(latest: Latest, dragging: (id: VolumeId | undefined) => void): SectionActions & EdgeActions {
  const now = (): Drawn => latest.get();
  const atFrame = oncePerFrame();
  const place = (id: VolumeId, wanted: number, gesture?: string): void => {
    const { planned, onMove } = now().props;
    const at = Math.max(0, wanted);
    if (at !== volumeOf(planned, id).start) onMove?.(id, at, gesture);
  };
  const setEdge = (id: VolumeId, edge: 'start' | 'end', bytes: number, gesture?: string): void => {
    const { onResize, onStart } = now().props;
    if (edge === 'end') onResize?.(id, Math.max(0, bytes), gesture);
    else onStart?.(id, Math.max(0, bytes), gesture);
  };
  return {
    select: (id, together) => now().props.onSelect?.(id, together),
    drag: (id, from, pixels, gesture) =>
      atFrame(() => {
        const { bytesPerPixel } = now().right;
        const step = snapStep(bytesPerPixel);
        place(id, Math.round((from + pixels * bytesPerPixel) / step) * step, gesture);
      }),
    nudge: (id, steps) =>
      place(id, volumeOf(now().props.planned, id).start + steps * snapStep(now().right.bytesPerPixel)),
    pass: (id, neighbours) => now().props.onPass?.(id, neighbours),
    grab: (value, gesture) => ({ value, gesture, bytesPerPixel: now().right.bytesPerPixel }),
    dragEdge: (id, edge, { value, bytesPerPixel, gesture }, pixels, freely) =>
      atFrame(() => {
        const { planned, bounds, usedOf } = now().props;
        const volume = volumeOf(planned, id);
        const wanted = value + pixels * bytesPerPixel;
        if (freely) return setEdge(id, edge, Math.round(wanted / MIB) * MIB, gesture);
        const range = edge === 'end' ? endRange(planned, bounds, volume) : startRange(planned, bounds, volume);
        const at = { bytesPerPixel, ...range, used: usedOf(volume) };
        setEdge(id, edge, edge === 'end' ? snapLength(wanted, volume, at) : snapStart(wanted, at), gesture);
      }),
    nudgeEdge: (id, edge, steps) => {
      const { start, length } = volumeOf(now().props.planned, id);
      setEdge(id, edge, (edge === 'end' ? length : start) + steps * snapStep(now().right.bytesPerPixel));
    },
    setEdge,
    dragging,
  };
}

/** Lets the last of what comes between two frames happen. */
function oncePerFrame(): (act: () => void) => void {
  let waiting: (() => void) | undefined;
  return (act) => {
    const first = waiting === undefined;
    waiting = act;
    if (!first) return;
    requestAnimationFrame(() => {
      const last = waiting;
      waiting = undefined;
      last?.();
    });
  };
}

interface EdgesProps {
  readonly column: Column;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly x: number;
  readonly width: number;
  readonly selected: VolumeId | undefined;
  readonly dragged: VolumeId | undefined;
  readonly carries: number | undefined;
  readonly actions: EdgeActions;
}

/** The draggable ends, the floor of the volume in hand, and the offset of its end. */
function Edges({ column, planned, bounds, x, width, selected, dragged, carries, actions }: EdgesProps) {
  const size = useSizes();
  const shown = dragged ?? selected;
  const beside = x + width + GRIP + 8;
  return (
    <>
      {column.sections.map((section) => {
        const { volume } = section;
        if (!volume || !isResizable(volume, bounds)) return null;
        const inHand = shown === volume.id;
        const { least, most } = inHand ? endRange(planned, bounds, volume) : roughEndRange(planned, bounds, volume);
        if (least >= most) return null;
        const y = section.y + section.height + GAP / 2;
        const quiet = !inHand && section.height < QUIET_BELOW;
        const floorY = inHand && least > 0 ? yInSection(section, section.start + least) : undefined;
        return (
          <g key={volume.id}>
            {floorY !== undefined && volume.origin.kind === 'kept' ? (
              <g aria-hidden>
                <line
                  x1={x - 14}
                  x2={beside - 4}
                  y1={floorY}
                  y2={floorY}
                  stroke="var(--danger)"
                  strokeWidth={1.5}
                  strokeDasharray="3 3"
                />
                <text x={beside} y={floorY - 3} className={styles.floor}>
                  floor
                </text>
                <text x={beside} y={floorY + 11} className={styles.floor}>
                  {size(least)}
                </text>
              </g>
            ) : null}
            {inHand && (floorY === undefined || Math.abs(floorY - y) > 24) ? (
              <text x={beside} y={y + 4} className={styles.mark}>
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
              label={`End of ${nameOf(volume)}`}
              words={size(volume.length)}
              id={volume.id}
              quiet={quiet}
              actions={actions}
            />
            {dragged === volume.id ? (
              <EdgeWords planned={planned} volume={volume} x={x - GRIP - 8} y={y} carries={carries} />
            ) : null}
            {inHand && planned.table !== 'none' ? (
              <EdgeHandle
                x={x}
                width={width}
                y={section.y - GAP / 2}
                value={volume.start}
                {...startRange(planned, bounds, volume)}
                edge="start"
                label={`Start of ${nameOf(volume)}`}
                words={size(volume.start)}
                id={volume.id}
                quiet={false}
                actions={actions}
              />
            ) : null}
          </g>
        );
      })}
    </>
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
