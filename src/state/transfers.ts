/** What goes from volume to volume in a plan, as far as it has been looked at: the engine reads the folders. */
import { clusterSizeOf } from '@/core/job';
import type { Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import type { PlannedTransfer, Scratch } from '@/core/plan';
import { engine } from '@/engine';
import { useEffect } from 'react';
import { messageOf } from './keeping';
import { get, set, useBench, type LookedTransfers } from './store';

/** Everything that decides what transfers come to: themselves, what their targets are, and how much room there is for rounds. */
function keyOf(planned: Layout, survey: Survey | undefined, lent: readonly Scratch[]): string {
  const transfers = planned.transfers ?? [];
  const targets = planned.volumes.filter((v) => transfers.some((t) => t.to === v.id));
  const told = targets.map((target) => {
    const { id, origin, fileSystem, format } = target;
    return [id, origin, fileSystem, clusterSizeOf(target, planned.sectorSize), format];
  });
  // How long volumes are matters only where one gets smaller than it can be before anything has left it.
  const short = planned.volumes.some(({ origin, length }) => {
    const now = origin.kind === 'kept' ? survey?.volumes.find((v) => v.number === origin.number) : undefined;
    return now?.limits !== undefined && length < now.limits.floor.bytes;
  });
  const places = short ? [planned.volumes.map((v) => [v.start, v.length]), lent] : [];
  return JSON.stringify([transfers, told, places]);
}

function put(id: string, looked: LookedTransfers): void {
  set((state) => ({ looked: { ...state.looked, [id]: looked } }));
}

async function lookAt(id: string, planned: Layout, lent: readonly Scratch[], key: string): Promise<void> {
  if (get().looked[id]?.key === key) return;
  put(id, { key });
  const looked = await engine('transfers', id, planned, lent).then(
    (transfers) => ({ key, transfers }),
    (error: unknown) => ({ key, fault: messageOf(error) }),
  );
  if (get().looked[id]?.key === key) put(id, looked);
}

const NONE: readonly PlannedTransfer[] = [];

/** The transfers of a plan, with the room that another disk lends; nothing while they are looked at, and why where they can't be. */
export function useTransfers(
  id: string,
  planned: Layout | undefined,
  lent: readonly Scratch[],
): Omit<LookedTransfers, 'key'> {
  const wanted = (planned?.transfers?.length ?? 0) > 0;
  const survey = useBench((s) => s.disks.find((d) => d.stored.id === id)?.survey);
  const key = wanted ? keyOf(planned!, survey, lent) : '';
  const looked = useBench((s) => s.looked[id]);
  useEffect(() => {
    if (wanted) void lookAt(id, planned!, lent, key);
  }, [id, planned, lent, key, wanted]);
  if (!wanted) return { transfers: NONE };
  return looked?.key === key ? looked : {};
}
