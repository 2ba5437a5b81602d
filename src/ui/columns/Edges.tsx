'use client';

import {
  endOf,
  endRange,
  isResizable,
  nameOf,
  roughEndRange,
  startRange,
  type Bounds,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { yInSection, type Column } from '@/core/report';
import { useSizes } from '../kit';
import { EdgeHandle, GRIP, type EdgeActions } from './EdgeHandle';
import { EdgeWords } from './EdgeWords';
import styles from './columns.module.css';

/** Pixels between two sections. */
export const GAP = 3;
/** Lower sections show their grip only when they are pointed at. */
const QUIET_BELOW = 40;

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
export function Edges({ column, planned, bounds, x, width, selected, dragged, carries, actions }: EdgesProps) {
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
