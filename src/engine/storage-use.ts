/** What takes how much of the browser's storage. */
import { PAGE_BYTES } from '@/core/device';
import type { Database } from './database';
import { layerKeys } from './stores';
import type { StorageUse } from './protocol';

export async function storageUse(db: Database): Promise<StorageUse> {
  const bytes = new Map<string, number>();
  const add = (id: string, more: number): void => void bytes.set(id, (bytes.get(id) ?? 0) + more);
  for (const [id] of (await db.overlayPages.toCollection().primaryKeys()) as [string, number][])
    add(layerKeys.diskOf(id), PAGE_BYTES);
  await db.journal.each(({ diskId, body }) => add(diskId, body.length));
  const { usage, quota } = (await globalThis.navigator?.storage?.estimate?.()) ?? {};
  return {
    ...(usage === undefined ? {} : { used: usage }),
    ...(quota === undefined ? {} : { quota }),
    disks: [...bytes].map(([id, size]) => ({ id, bytes: size })).sort((a, b) => b.bytes - a.bytes),
  };
}
