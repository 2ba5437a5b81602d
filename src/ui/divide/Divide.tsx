'use client';

import {
  gapsOf,
  moveVolume,
  reorderVolume,
  resizeEnd,
  resizeStart,
  volumeOf,
  type Edited,
  type Gap,
  type LaidVolume,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { formatSize } from '@/core/size';
import {
  ask,
  edit,
  explain,
  look,
  mediumWords,
  useBench,
  wish,
  useBounds,
  usePlan,
  useSourceDisks,
  type Current,
} from '@/state';
import { useCallback, useDeferredValue, useMemo } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Advice } from '../advice';
import { Columns } from '../columns';
import { FolderDialog, MergeDialog, TakeDialog, TransferList } from '../move';
import { CopyDialog } from '../copy';
import { GoalPicker } from '../goals';
import { WaysView } from '../ways';
import { WipeDialog, WipeList } from '../wipe';
import { BroughtDisk } from './BroughtDisk';
import { SeveralInHand } from './SeveralInHand';
import { SplitDialog } from './SplitDialog';
import { create, split, Tools } from './Tools';
import { comingBy, movingIn, usedAfter, usedBy } from '@/core/report';
import { VolumeForm } from './VolumeForm';
import { Walk } from './Walk';
import { WorkOrder } from './WorkOrder';
import styles from './divide.module.css';

/** An edge has the focus after every drag, and takes no words: the keys go on working there. */
const EDGES = ['slider'] as const;

/** The main view: the disk now and planned, the volume in hand, the work order. */
export function Divide({ current }: { readonly current: Current }) {
  const { id, disk } = current;
  const job = current.job!;
  const survey = disk.survey!;
  const usedOf = useMemo(() => usedBy(survey), [survey]);
  const planned = job.history.present;
  const bounds = useBounds(disk);
  // While an edge is dragged the column comes first; form and work order follow as soon as there is time.
  const later = useDeferredValue(current);
  const laterPlanned = (later.job ?? job).history.present;
  const planView = usePlan(later);
  const sources = useSourceDisks(planned);
  const steps = planView.plan?.steps;
  const usedThen = useMemo(() => usedAfter(usedOf, comingBy(steps ?? [], laterPlanned)), [usedOf, steps, laterPlanned]);
  const moving = useMemo(() => movingIn(planView.transfers), [planView.transfers]);
  const selectedId = useBench((s) => s.selected);
  const alsoIds = useBench((s) => s.also);
  const readOnly = useBench((s) => s.readOnly);
  const kept = useBench((s) => !s.readOnly && s.full === undefined);
  const asking = useBench((s) => s.asking);
  const fresh = useBench((s) => s.fresh);
  const override = useCallback(() => wish(id, { override: true }), [id]);
  const setAside = useCallback((asideOn: string | undefined) => wish(id, { asideOn }), [id]);
  const selected = planned.volumes.find((v) => v.id === selectedId) ?? mainOf(planned);
  const also = useMemo(
    () => alsoIds.filter((v) => v !== selected?.id && planned.volumes.some((w) => w.id === v)),
    [alsoIds, planned, selected?.id],
  );
  const laterSelected = laterPlanned.volumes.find((v) => v.id === selected?.id);

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

  useHotkeys('g', () => ask({ kind: 'goals' }), { enabled: !readOnly, enableOnFormTags: EDGES }, []);
  useHotkeys('b', () => ask({ kind: 'ways', wish: 'grow' }), { enabled: !readOnly, enableOnFormTags: EDGES }, []);
  useHotkeys('a', () => ask({ kind: 'advice' }), { enableOnFormTags: EDGES }, []);
  useHotkeys('s', () => split(current, planned, bounds, selected), { enabled: !readOnly, enableOnFormTags: EDGES }, [
    current,
    selected,
  ]);
  useHotkeys('f', () => ask({ kind: 'folders' }), { enabled: !readOnly, enableOnFormTags: EDGES }, []);
  useHotkeys('w', () => ask({ kind: 'wipe' }), { enabled: !readOnly, enableOnFormTags: EDGES }, []);
  useHotkeys('c', () => ask({ kind: 'copy' }), { enabled: !readOnly, enableOnFormTags: EDGES }, []);
  useHotkeys(
    'n',
    () => create(id, planned, bounds, gapsOf(planned)[0]),
    { enabled: !readOnly, enableOnFormTags: EDGES },
    [planned],
  );

  const { decimal, binary } = { decimal: formatSize(survey.size, 'decimal'), binary: formatSize(survey.size) };
  return (
    <div className={styles.page}>
      <div className={styles.centre}>
        <div className={styles.top}>
          <div>
            <h1>{disk.stored.name}</h1>
            <p className={styles.sub}>{`${decimal} ${mediumWords(disk.stored)}, shown by the system as ${binary}.`}</p>
          </div>
          <Tools current={later} planned={laterPlanned} bounds={bounds} selected={laterSelected} />
        </div>
        {asking?.kind === 'ways' && selected ? (
          <WaysView current={current} planned={planned} volume={selected} wish={asking.wish} />
        ) : (
          <BroughtDisk>
            <Columns
              usedOf={usedOf}
              usedThen={usedThen}
              now={job.now}
              planned={planned}
              bounds={bounds}
              selected={selected?.id}
              sources={sources}
              moving={moving}
              note={kept ? 'saved as you go' : 'not saved'}
              also={also}
              carries={later === current ? planView.plan?.total.carries : undefined}
              onSelect={(volumeId, together) => take(volumeId, together, selected?.id, also)}
              {...(readOnly
                ? {}
                : {
                    onCreate: (gap: Gap) => create(id, planned, bounds, gap),
                    onResize: resize,
                    onStart: start,
                    onMove: move,
                    onPass: (v, n) => pass(v, n),
                  })}
            />
          </BroughtDisk>
        )}
      </div>
      <aside className={styles.side}>
        {also.length > 0 ? (
          <SeveralInHand id={id} planned={planned} bounds={bounds} ids={[selected!.id, ...also]} />
        ) : selected ? (
          <VolumeForm
            current={later}
            planned={laterPlanned}
            bounds={bounds}
            volume={laterSelected ?? selected}
            focusSize={fresh === selected.id}
          />
        ) : null}
        <TransferList id={id} planned={laterPlanned} />
        <WipeList id={id} planned={laterPlanned} />
        <WorkOrder {...planView} onOverride={override} onAside={setAside} />
      </aside>
      {readOnly ? null : <Walk />}
      {asking?.kind === 'goals' ? <GoalPicker current={current} bounds={bounds} /> : null}
      {asking?.kind === 'copy' ? (
        <CopyDialog key={asking.from} current={current} planned={planned} bounds={bounds} from={asking.from} />
      ) : null}
      {asking?.kind === 'folders' && selected ? (
        <FolderDialog id={id} planned={planned} bounds={bounds} volume={selected} />
      ) : null}
      {asking?.kind === 'take' && selected ? <TakeDialog id={id} volume={selected} /> : null}
      {asking?.kind === 'wipe' ? <WipeDialog current={current} planned={planned} volume={selected} /> : null}
      {asking?.kind === 'merge' && selected ? (
        <MergeDialog id={id} planned={planned} bounds={bounds} volume={selected} />
      ) : null}
      {asking?.kind === 'split' && selected ? (
        <SplitDialog id={id} planned={planned} bounds={bounds} volume={selected} />
      ) : null}
      {asking?.kind === 'advice' && selected ? <Advice current={current} planned={planned} volume={selected} /> : null}
    </div>
  );
}

/** The volume that is in hand before one was taken: the largest that may be changed. */
export function mainOf({ volumes }: Layout): LaidVolume | undefined {
  const open = volumes.filter((v) => !v.guarded);
  return [...(open.length > 0 ? open : volumes)].sort((a, b) => b.length - a.length)[0];
}

/** Takes a volume in hand; together with others, or lets go of one of them. */
function take(id: VolumeId, together: boolean, selected: VolumeId | undefined, also: readonly VolumeId[]): void {
  if (!together || selected === undefined) return look({ selected: id });
  if (also.includes(id)) return look({ selected, also: also.filter((v) => v !== id) });
  if (id === selected) return also.length > 0 ? look({ selected: also[0], also: also.slice(1) }) : undefined;
  look({ selected, also: [...also, id] });
}
