'use client';

import {
  boundOf,
  createVolume,
  endOf,
  gapsOf,
  nextLetter,
  splitVolume,
  type Bounds,
  type Edited,
  type Gap,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { newVolumeSpec, proposedKeep } from '@/core/goal';
import { ask, edit, look, useBench, type Current } from '@/state';
import { Button, Space, Tooltip } from 'antd';
import { memo } from 'react';
import { TableMenu } from '../table';
import styles from './divide.module.css';

interface ToolsProps {
  readonly current: Current;
  readonly planned: Layout;
  readonly bounds: Bounds;
  readonly selected: LaidVolume | undefined;
}

/** What the plan can be changed by at a press. */
export const Tools = memo(function Tools({ current, planned, bounds, selected }: ToolsProps) {
  const readOnly = useBench((s) => s.readOnly);
  const idle = readOnly || planned.table === 'none';
  const gaps = gapsOf(planned);
  return (
    <div className={styles.tools} data-walk="tools">
      <TableMenu current={current} planned={planned} bounds={bounds} />
      <Tooltip title="Fill the plan from a goal (G)">
        <Button onClick={() => ask({ kind: 'goals' })} disabled={idle}>
          Goals
        </Button>
      </Tooltip>
      <Space.Compact>
        <Tooltip title="Split the volume in hand in two (S)">
          <Button onClick={() => split(current, planned, bounds, selected)} disabled={idle || !selected}>
            Split
          </Button>
        </Tooltip>
        <Button
          aria-label="Several parts at once"
          icon={<MoreIcon />}
          onClick={() => ask({ kind: 'split' })}
          disabled={idle || !selected}
        />
      </Space.Compact>
      <Tooltip title="New volume in unallocated space (N)">
        <Button onClick={() => create(current.id, planned, bounds, gaps[0])} disabled={idle || gaps.length === 0}>
          New
        </Button>
      </Tooltip>
      <Tooltip title="Copy a volume, or a whole disk, to here (C)">
        <Button onClick={() => ask({ kind: 'copy' })} disabled={readOnly}>
          Copy…
        </Button>
      </Tooltip>
    </div>
  );
});

/** Makes an edit that adds a volume, and takes that volume in hand with the cursor in its size. */
function adding(id: string, planned: Layout, act: (layout: Layout) => Edited): void {
  const result = edit(id, act);
  if (!result?.ok) return;
  const added = result.layout.volumes.find((v) => !planned.volumes.some((w) => w.id === v.id));
  if (added) look({ selected: added.id, fresh: added.id });
}

/** Splits the volume in hand in two. */
export function split(current: Current, planned: Layout, bounds: Bounds, selected: LaidVolume | undefined): void {
  if (!selected) return;
  const now = current.disk.survey!.volumes.find((v) => `kept-${v.number}` === selected.id);
  adding(current.id, planned, (layout) => splitInTwo(layout, bounds, selected, now?.info?.used ?? 0));
}

/** Makes a volume in a gap. */
export function create(id: string, planned: Layout, bounds: Bounds, gap: Gap | undefined): void {
  if (!gap) return;
  const size = gap.end - gap.start;
  const letter = nextLetter(planned);
  adding(id, planned, (layout) =>
    createVolume(layout, bounds, gap, {
      ...newVolumeSpec(size, layout.sectorSize, undefined),
      size,
      ...(letter ? { letter } : {}),
    }),
  );
}

/** Three parts of a whole. */
function MoreIcon() {
  return (
    <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden fill="none" stroke="currentColor">
      <rect x="1.5" y="0.5" width="11" height="13" rx="1.5" />
      <path d="M1.5 5h11M1.5 9.5h11" />
    </svg>
  );
}

/** A split in two where it makes sense at first; a new volume is simply cut in half. */
function splitInTwo(layout: Layout, bounds: Bounds, volume: LaidVolume, used: number): Edited {
  const bound = boundOf(volume, bounds);
  const keep = proposedKeep(volume, used, bound);
  const rest = endOf(volume) - volume.start - keep;
  return splitVolume(layout, bounds, volume.id, {
    keep,
    parts: [newVolumeSpec(rest, layout.sectorSize, volume.fileSystem)],
  });
}
