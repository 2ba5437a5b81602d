'use client';

import {
  createVolume,
  endOf,
  gapsOf,
  moveVolume,
  nextLetter,
  reorderVolume,
  resizeEnd,
  resizeStart,
  splitVolume,
  volumeOf,
  type Bounds,
  type Edited,
  type Gap,
  type LaidVolume,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { formatSize } from '@/core/size';
import { ask, edit, explain, look, mediumWords, useBench, wish, useBounds, usePlan, type Current } from '@/state';
import { Button, Space, Tooltip } from 'antd';
import { useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Advice } from '../advice';
import { Columns } from '../columns';
import { GoalPicker } from '../goals';
import { TableMenu } from '../table';
import { WaysView } from '../ways';
import { SplitDialog } from './SplitDialog';
import { newVolumeSpec, proposedKeep } from '@/core/goal';
import { VolumeForm } from './VolumeForm';
import { WorkOrder } from './WorkOrder';
import styles from './divide.module.css';

/** The main view: the disk now and planned, the volume in hand, the work order. */
export function Divide({ current }: { readonly current: Current }) {
  const { id, disk } = current;
  const job = current.job!;
  const survey = disk.survey!;
  const planned = job.history.present;
  const bounds = useBounds(disk);
  const planView = usePlan(current);
  const selectedId = useBench((s) => s.selected);
  const readOnly = useBench((s) => s.readOnly);
  const asking = useBench((s) => s.asking);
  const [fresh, setFresh] = useState<VolumeId>();
  const selected =
    planned.volumes.find((v) => v.id === selectedId) ?? planned.volumes.find((v) => !v.guarded) ?? planned.volumes[0];

  /** Makes an edit that adds a volume, and takes that volume in hand. */
  const adding = (act: (layout: Layout) => Edited): void => {
    const result = edit(id, act);
    if (!result?.ok) return;
    const added = result.layout.volumes.find((v) => !planned.volumes.some((w) => w.id === v.id));
    if (!added) return;
    look({ selected: added.id });
    setFresh(added.id);
  };
  const split = (): void => {
    if (!selected) return;
    adding((layout) =>
      splitInTwo(
        layout,
        bounds,
        selected,
        survey.volumes.find((v) => `kept-${v.number}` === selected.id)?.info?.used ?? 0,
      ),
    );
  };
  const create = (gap: Gap | undefined): void => {
    if (!gap) return;
    const size = gap.end - gap.start;
    const letter = nextLetter(planned);
    adding((layout) =>
      createVolume(layout, bounds, gap, {
        ...newVolumeSpec(size, layout.sectorSize, undefined),
        size,
        ...(letter ? { letter } : {}),
      }),
    );
  };
  const resize = (volumeId: VolumeId, length: number, gesture?: string): void => {
    if (selectedId !== volumeId) look({ selected: volumeId });
    nearestOf(
      resizeEnd(planned, bounds, volumeId, length),
      (nearest) => resizeEnd(planned, bounds, volumeId, nearest),
      gesture,
    );
  };

  /** The edit itself where it can be, else the nearest that can, with the reason. */
  const nearestOf = (wanted: Edited, again: (nearest: number) => Edited, gesture?: string): void => {
    if (wanted.ok || wanted.nearest === undefined) return void edit(id, () => wanted, gesture);
    const { nearest, reason } = wanted;
    edit(id, () => again(nearest), gesture);
    explain(reason);
  };
  const start = (volumeId: VolumeId, at: number, gesture?: string): void =>
    nearestOf(
      resizeStart(planned, bounds, volumeId, at),
      (nearest) => resizeStart(planned, bounds, volumeId, nearest),
      gesture,
    );
  const pass = (volumeId: VolumeId, neighbours: 1 | -1, gesture?: string): void => {
    const index = planned.volumes.findIndex((v) => v.id === volumeId);
    if (!planned.volumes[index + neighbours]) return;
    const before = planned.volumes[neighbours > 0 ? index + 2 : index - 1]?.id;
    edit(id, () => reorderVolume(planned, bounds, volumeId, before), gesture);
  };
  /** Into unallocated space, or past a neighbour once the middle of the one is past the middle of the other. */
  const move = (volumeId: VolumeId, at: number, gesture?: string): void => {
    const volume = volumeOf(planned, volumeId);
    const index = planned.volumes.indexOf(volume);
    const middle = at + volume.length / 2;
    const [before, behind] = [planned.volumes[index - 1], planned.volumes[index + 1]];
    const wanted = moveVolume(planned, bounds, volumeId, at);
    if (!wanted.ok && behind && middle > behind.start + behind.length / 2) return pass(volumeId, 1, gesture);
    if (!wanted.ok && before && middle < before.start + before.length / 2) return pass(volumeId, -1, gesture);
    nearestOf(wanted, (nearest) => moveVolume(planned, bounds, volumeId, nearest), gesture);
  };

  useHotkeys('g', () => ask({ kind: 'goals' }), { enabled: !readOnly }, []);
  useHotkeys('b', () => ask({ kind: 'ways', wish: 'grow' }), { enabled: !readOnly }, []);
  useHotkeys('a', () => ask({ kind: 'advice' }), []);
  useHotkeys('s', split, { enabled: !readOnly }, [selected, planned]);
  useHotkeys('n', () => create(gapsOf(planned)[0]), { enabled: !readOnly }, [planned]);

  const { decimal, binary } = { decimal: formatSize(survey.size, 'decimal'), binary: formatSize(survey.size) };
  return (
    <div className={styles.page}>
      <div className={styles.centre}>
        <div className={styles.top}>
          <div>
            <h1>{disk.stored.name}</h1>
            <p
              className={styles.sub}
            >{`${decimal} ${mediumWords(disk.stored)}, shown by the system as ${binary}. Drag an edge on the right, or type a size.`}</p>
          </div>
          <div className={styles.tools}>
            <TableMenu current={current} planned={planned} bounds={bounds} />
            <Tooltip title="Fill the plan from a goal (G)">
              <Button onClick={() => ask({ kind: 'goals' })} disabled={readOnly || planned.table === 'none'}>
                Goals
              </Button>
            </Tooltip>
            <Space.Compact>
              <Tooltip title="Split the volume in hand in two (S)">
                <Button onClick={split} disabled={readOnly || !selected || planned.table === 'none'}>
                  Split
                </Button>
              </Tooltip>
              <Button
                aria-label="Split in several"
                icon={<MoreIcon />}
                onClick={() => ask({ kind: 'split' })}
                disabled={readOnly || !selected || planned.table === 'none'}
              />
            </Space.Compact>
            <Tooltip title="New volume in unallocated space (N)">
              <Button
                onClick={() => create(gapsOf(planned)[0])}
                disabled={readOnly || gapsOf(planned).length === 0 || planned.table === 'none'}
              >
                New
              </Button>
            </Tooltip>
          </div>
        </div>
        {asking?.kind === 'ways' && selected ? (
          <WaysView current={current} planned={planned} volume={selected} wish={asking.wish} />
        ) : (
          <div className={styles.columns}>
            <Columns
              survey={survey}
              now={job.now}
              planned={planned}
              bounds={bounds}
              selected={selected?.id}
              note="saved as you go"
              onSelect={(volumeId) => look({ selected: volumeId })}
              {...(readOnly
                ? {}
                : { onCreate: create, onResize: resize, onStart: start, onMove: move, onPass: (v, n) => pass(v, n) })}
            />
          </div>
        )}
      </div>
      <aside className={styles.side}>
        {selected ? (
          <VolumeForm
            current={current}
            planned={planned}
            bounds={bounds}
            volume={selected}
            focusSize={fresh === selected.id}
          />
        ) : null}
        <WorkOrder {...planView} onOverride={() => wish(id, { override: true })} />
      </aside>
      <GoalPicker current={current} bounds={bounds} open={asking?.kind === 'goals'} />
      {selected ? (
        <>
          <SplitDialog id={id} planned={planned} bounds={bounds} volume={selected} open={asking?.kind === 'split'} />
          <Advice current={current} planned={planned} volume={selected} open={asking?.kind === 'advice'} />
        </>
      ) : null}
    </div>
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
  const bound = volume.origin.kind === 'kept' ? bounds.get(volume.origin.number) : undefined;
  const keep = proposedKeep(volume, used, bound);
  const rest = endOf(volume) - volume.start - keep;
  return splitVolume(layout, bounds, volume.id, {
    keep,
    parts: [newVolumeSpec(rest, layout.sectorSize, volume.fileSystem)],
  });
}
