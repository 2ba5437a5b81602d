'use client';

import {
  createVolume,
  endOf,
  gapsOf,
  nextLetter,
  resizeEnd,
  splitVolume,
  type Bounds,
  type Edited,
  type Gap,
  type LaidVolume,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { formatSize } from '@/core/size';
import { edit, explain, look, mediumWords, useBench, wish, useBounds, usePlan, type Current } from '@/state';
import { Button, Tooltip } from 'antd';
import { useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Columns } from '../columns';
import { TableMenu } from '../table';
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
    const wanted = resizeEnd(planned, bounds, volumeId, length);
    if (wanted.ok || wanted.nearest === undefined) return void edit(id, () => wanted, gesture);
    const { nearest, reason } = wanted;
    edit(id, (layout) => resizeEnd(layout, bounds, volumeId, nearest), gesture);
    explain(reason);
  };

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
            <Tooltip title="Split the volume in hand (S)">
              <Button onClick={split} disabled={readOnly || !selected || planned.table === 'none'}>
                Split
              </Button>
            </Tooltip>
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
        <div className={styles.columns}>
          <Columns
            survey={survey}
            now={job.now}
            planned={planned}
            bounds={bounds}
            selected={selected?.id}
            note="saved as you go"
            onSelect={(volumeId) => look({ selected: volumeId })}
            {...(readOnly ? {} : { onCreate: create, onResize: resize })}
          />
        </div>
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
    </div>
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
