/**
 * The layers of disks in the browser's storage: the lowest has what was done to a disk before any run that can be taken
 * back, and each above it what one run has done. Which there are stands in one table, so that taking a run back, on every
 * disk that it wrote, is one transaction.
 */
import { LayeredDevice, OverlayDevice, PAGE_BYTES, type BlockDevice } from '@/core/device';
import Dexie from 'dexie';
import type { Database, KeptRun, StoredLayer } from './database';
import { clearLayer, DexieOverlayStore, guardQuota, keysBeside, layerKeys } from './stores';

/** A run that can be taken back. Plain data. */
export interface WayBack extends KeptRun {
  /** Bytes that keeping it takes. */
  readonly bytes: number;
  /** Other disks that it wrote, and that are taken back with this one. */
  readonly with: readonly string[];
}

/** One disk with its layers. */
export class DiskLayers {
  readonly device: LayeredDevice;

  private constructor(
    private readonly db: Database,
    readonly id: string,
    private readonly base: BlockDevice,
    layers: readonly [OverlayDevice, ...OverlayDevice[]],
  ) {
    this.device = new LayeredDevice(layers);
  }

  static async open(db: Database, id: string, base: BlockDevice): Promise<DiskLayers> {
    const rows = await rowsOf(db, id);
    const open = (under: BlockDevice, key: string) => OverlayDevice.open(under, new DexieOverlayStore(db, key));
    const [lowest, ...above] = rows[0]?.run ? [undefined, ...rows] : rows;
    const layers: [OverlayDevice, ...OverlayDevice[]] = [await open(base, lowest?.key ?? id)];
    for (const row of above) layers.push(await open(layers.at(-1)!, row!.key));
    return new DiskLayers(db, id, base, layers);
  }

  /** What merging the lowest layers, up to that of a run, comes to; stored, and not in their place yet. */
  async merged(run: string): Promise<Merged | undefined> {
    const { db, id, base } = this;
    const rows = await rowsOf(db, id);
    const at = rows.findIndex((r) => r.run?.run === run);
    if (at < 0) return undefined;
    // What was cut off in the middle of this is nobody's.
    for (const left of await keysBeside(db, id, new Set(rows.map((r) => r.key)))) await clearLayer(db, left);
    const key = layerKeys.fresh(id);
    const count = rows[0]!.run ? at + 2 : at + 1;
    const into = await OverlayDevice.open(base, new DexieOverlayStore(db, key));
    try {
      await this.device.layers[count - 1]!.mergeInto(into, base);
    } catch (error) {
      // Where there was no room for it, what it has taken is given back.
      await clearLayer(db, key).catch(() => undefined);
      throw error;
    }
    const gone = rows.slice(0, at + 1);
    return {
      gone,
      row: { diskId: id, layer: gone.at(-1)!.layer, key },
      replace: () => this.device.replaceLowest(count, into),
    };
  }
}

/** Layers that were merged into one. */
interface Merged {
  readonly gone: readonly StoredLayer[];
  readonly row: StoredLayer;
  /** Puts it in their place in memory. */
  readonly replace: () => void;
}

/** Merges the lowest layers of disks, each up to that of a run, on all of them at once or on none. */
export async function mergeLayers(db: Database, disks: ReadonlyMap<DiskLayers, string>): Promise<void> {
  const all: Merged[] = [];
  for (const [disk, run] of disks) {
    const merged = await disk.merged(run);
    if (merged) all.push(merged);
  }
  await db.transaction('rw', [db.layers, db.overlayPages, db.overlayEdits], async () => {
    for (const { gone, row } of all) {
      for (const { diskId, layer } of gone) await db.layers.delete([diskId, layer]);
      for (const key of [row.diskId, ...gone.map((g) => g.key)]) await clearLayer(db, key);
      await db.layers.put(row);
    }
  });
  for (const { replace } of all) replace();
}

/** The rows of a disk, the lowest first; one without a run is the lowest of all, where older ones were merged into it. */
function rowsOf(db: Database, id: string): Promise<StoredLayer[]> {
  return db.layers.where('[diskId+layer]').between([id, Dexie.minKey], [id, Dexie.maxKey]).sortBy('layer');
}

/** The runs that layers of a disk are of, the oldest first. */
export async function runsOf(db: Database, id: string): Promise<KeptRun[]> {
  return (await rowsOf(db, id)).flatMap((row) => row.run ?? []);
}

/** Whether layers of a disk were merged, so that what they had can't be taken back. */
export async function isMerged(db: Database, id: string): Promise<boolean> {
  return (await rowsOf(db, id)).some((row) => !row.run);
}

/** The runs on a disk that can be taken back, the newest first. */
export async function waysBackOf(db: Database, id: string): Promise<WayBack[]> {
  const out: WayBack[] = [];
  for (const { key, run } of (await rowsOf(db, id)).reverse()) {
    if (!run) continue;
    const bytes = PAGE_BYTES * (await db.overlayPages.where('diskId').equals(key).count());
    out.push({ ...run, bytes, with: (await disksOfRun(db, run.run)).filter((disk) => disk !== id) });
  }
  return out;
}

/** The disks that have a layer of a run. */
export async function disksOfRun(db: Database, run: string): Promise<string[]> {
  return (await db.layers.filter((row) => row.run?.run === run).toArray()).map((row) => row.diskId);
}

/** Lays a layer for a run on every disk that it writes, where there is none yet. */
export async function beginLayers(db: Database, disks: readonly DiskLayers[], run: KeptRun): Promise<void> {
  const rows: StoredLayer[] = [];
  for (const { id } of disks) {
    const last = (await rowsOf(db, id)).at(-1);
    if (last?.run?.run === run.run) continue;
    rows.push({ diskId: id, layer: (last?.layer ?? 0) + 1, key: layerKeys.fresh(id), run });
  }
  await guardQuota(0, () => db.transaction('rw', [db.layers], () => db.layers.bulkPut(rows)));
  for (const { diskId, key } of rows) {
    const { device } = disks.find((d) => d.id === diskId)!;
    device.push(await OverlayDevice.open(device.top, new DexieOverlayStore(db, key)));
  }
}

/**
 * Takes the topmost layers of disks off that are of one run, and the journal of the disk that the run was on, at once.
 * @param open those of the disks that are open
 */
export async function takeOff(db: Database, run: KeptRun, open: readonly DiskLayers[]): Promise<void> {
  await db.transaction('rw', [db.layers, db.overlayPages, db.overlayEdits, db.journal], async () => {
    const rows = await db.layers.filter((row) => row.run?.run === run.run).toArray();
    for (const { diskId, layer, key } of rows) {
      await clearLayer(db, key);
      await db.layers.delete([diskId, layer]);
    }
    await db.journal.where('diskId').equals(run.on).delete();
  });
  for (const { device } of open) device.pop();
}
