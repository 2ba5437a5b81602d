/** What goes from volume to volume in a plan, as far as it has been looked at: the engine reads the folders. */
import { clusterSizeOf } from '@/core/job';
import type { Layout } from '@/core/layout';
import type { PlannedTransfer } from '@/core/plan';
import { engine } from '@/engine';
import { useEffect } from 'react';
import { messageOf } from './keeping';
import { get, set, useBench, type LookedTransfers } from './store';

/** Everything that decides what transfers come to: themselves, and what their targets are. */
function keyOf(planned: Layout): string {
  const transfers = planned.transfers ?? [];
  const targets = planned.volumes.filter((v) => transfers.some((t) => t.to === v.id));
  const told = targets.map((target) => {
    const { id, origin, fileSystem, format } = target;
    return [id, origin, fileSystem, clusterSizeOf(target, planned.sectorSize), format];
  });
  return JSON.stringify([transfers, told]);
}

function put(id: string, looked: LookedTransfers): void {
  set((state) => ({ looked: { ...state.looked, [id]: looked } }));
}

async function lookAt(id: string, planned: Layout, key: string): Promise<void> {
  if (get().looked[id]?.key === key) return;
  put(id, { key });
  const looked = await engine('transfers', id, planned).then(
    (transfers) => ({ key, transfers }),
    (error: unknown) => ({ key, fault: messageOf(error) }),
  );
  if (get().looked[id]?.key === key) put(id, looked);
}

const NONE: readonly PlannedTransfer[] = [];

/** The transfers of a plan; nothing while they are looked at, and why where they can't be. */
export function useTransfers(id: string, planned: Layout | undefined): Omit<LookedTransfers, 'key'> {
  const wanted = (planned?.transfers?.length ?? 0) > 0;
  const key = wanted ? keyOf(planned!) : '';
  const looked = useBench((s) => s.looked[id]);
  useEffect(() => {
    if (wanted) void lookAt(id, planned!, key);
  }, [id, planned, key, wanted]);
  if (!wanted) return { transfers: NONE };
  return looked?.key === key ? looked : {};
}
