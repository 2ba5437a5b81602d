/** What a hand or a key does to sections and edges of the planned column. */
import { endRange, startRange, volumeOf, type Bounds, type Layout, type VolumeId } from '@/core/layout';
import { snapStep, type Column, type UsedOf } from '@/core/report';
import { MIB } from '@/core/size';
import type { EdgeActions } from './EdgeHandle';
import type { SectionActions } from './SectionShape';
import { snapLength, snapStart } from './snap';

/** What of the columns the hand acts on. */
export interface ActedOn {
  /** How much of each volume is in use, now and as planned. */
  readonly usedOf: UsedOf;
  /** How much is in use of planned volumes once files have come and gone, where any do. */
  readonly usedThen?: UsedOf;
  readonly planned: Layout;
  readonly bounds: Bounds;
  /** Takes a volume in hand, alone or together with those that are. */
  readonly onSelect?: (id: VolumeId, together: boolean) => void;
  readonly onResize?: (id: VolumeId, length: number, gesture?: string) => void;
  readonly onStart?: (id: VolumeId, start: number, gesture?: string) => void;
  readonly onMove?: (id: VolumeId, start: number, gesture?: string) => void;
  /** Puts a volume past its neighbour. */
  readonly onPass?: (id: VolumeId, neighbours: 1 | -1) => void;
}

interface Drawn {
  readonly props: ActedOn;
  readonly right: Column;
}

/** What was drawn last, for what happens between two drawings. */
export class Latest {
  #drawn: Drawn | undefined;

  get(): Drawn {
    return this.#drawn!;
  }

  set(drawn: Drawn): void {
    this.#drawn = drawn;
  }
}

/** What sections and edges can do, as one object that stays the same while what is drawn changes. */
export function actionsOn(latest: Latest, dragging: (id: VolumeId | undefined) => void): SectionActions & EdgeActions {
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
