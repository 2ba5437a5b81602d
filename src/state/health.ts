/** How sound the disks are: scans, speeds, volumes that no table names, and what can be mended. Kept with each disk. */
import {
  beginScan,
  isWhole,
  scanRecordSchema,
  speedResultSchema,
  stretchOf,
  withBatch,
  type ScanBatch,
  type ScanHit,
  type ScanRecord,
  type SpeedResult,
} from '@/core/health';
import { engine, EngineDied, listener } from '@/engine';
import * as z from 'zod';
import { db, keep, show } from './keeping';
import { diskOf, get, putDisk, set, type HealthView } from './store';

const MOST_SPEEDS = 12;
/** A scan is kept so often while it goes, so that a reload goes on from there. */
const KEPT_EVERY_MS = 2000;

const storedSchema = z.object({
  scan: scanRecordSchema.optional(),
  speeds: z.array(speedResultSchema).max(100).default([]),
});

const none: HealthView = { speeds: [] };
export const healthOf = (id: string): HealthView => get().health[id] ?? none;

function put(id: string, change: Partial<HealthView>): void {
  set(({ health }) => ({ health: { ...health, [id]: { ...(health[id] ?? none), ...change } } }));
}

const store = (id: string): Promise<boolean> => {
  const { scan, speeds } = healthOf(id);
  return keep(() => db.health.put({ diskId: id, state: { ...(scan ? { scan } : {}), speeds } }));
};

/** What was kept of a disk; what can't be read is measured anew. */
export async function loadHealth(id: string, size: number): Promise<void> {
  const stored = storedSchema.safeParse((await db.health.get(id))?.state);
  if (!stored.success) return;
  const { scan, speeds } = stored.data;
  // A disk that was changed by a run is the same medium; one of another size is another disk.
  put(id, { speeds: speeds.filter((s) => s.size === size), ...(scan?.size === size ? { scan } : {}) });
}

export function dropHealth(id: string): void {
  set(({ health }) => {
    const { [id]: _gone, ...rest } = health;
    return { health: rest };
  });
}

const now = (): string => new Date().toISOString();

/**
 * Begins a scan, or goes on with one that was paused.
 * @param part what is read, where that is not the whole disk
 */
export async function scanDisk(
  id: string,
  fresh: boolean,
  part?: { readonly start: number; readonly end: number },
): Promise<void> {
  const survey = diskOf(id)?.survey;
  if (!survey || healthOf(id).task) return;
  const { source } = diskOf(id)!.stored;
  const measured = source.kind === 'practice' ? ('medium' as const) : ('file' as const);
  const known = healthOf(id).scan;
  const stretch = part && { start: part.start, end: Math.min(part.end, survey.size) };
  const begun = { size: survey.size, sectorSize: survey.sectorSize, measured, begun: now(), stretch };
  const scan = known && !fresh && !isWhole(known) ? known : beginScan(begun, known);
  put(id, { scan, task: { kind: 'scan', startedAt: Date.now(), from: scan.done } });
  let keptAt = Date.now();
  const told = listener((batch: ScanBatch) => {
    const record = healthOf(id).scan;
    if (!record) return;
    put(id, { scan: withBatch(record, batch, now()) });
    if (batch.faults.length + batch.slow.length > 0) void nameHits(id);
    if (Date.now() - keptAt < KEPT_EVERY_MS) return;
    keptAt = Date.now();
    void store(id);
  });
  await during(id, () => engine('scan', id, { start: scan.done, end: stretchOf(scan).end }, told));
  await nameHits(id);
  await store(id);
}

/** Names what lies on places whose content is not known yet. */
async function nameHits(id: string): Promise<void> {
  const record = healthOf(id).scan;
  if (!record) return;
  const unnamed = (places: readonly ScanHit[]): ScanHit[] => places.filter((p) => p.what === undefined);
  const [faults, slow] = [unnamed(record.faults), unnamed(record.slow)];
  if (faults.length + slow.length === 0) return;
  try {
    const [f, s] = [await engine('hits', id, faults), await engine('hits', id, slow)];
    const after = healthOf(id).scan;
    if (after) put(id, { scan: { ...after, faults: named(after.faults, f), slow: named(after.slow, s) } });
  } catch (error) {
    if (!(error instanceof EngineDied)) await show(error);
  }
}

type Named = { readonly start: number; readonly end: number; readonly number: number | undefined } & Omit<
  ScanHit,
  'number'
>;

/** Places with names in the place of those that cover the same bytes, named already or not. */
function named(places: readonly ScanHit[], hits: readonly Named[]): ScanHit[] {
  const covered = (p: ScanHit): boolean => hits.some((h) => h.start < p.end && p.start < h.end);
  const told = hits.map(({ number, ...hit }): ScanHit => ({ ...hit, ...(number === undefined ? {} : { number }) }));
  return [...places.filter((p) => !covered(p)), ...told].sort((a, b) => a.start - b.start);
}

/** Holds on: what was read is kept, and gone on with. */
export const pauseTask = (id: string): Promise<void> => engine('stopTask', id);

/** Forgets a scan. */
export async function dropScan(id: string): Promise<void> {
  await pauseTask(id);
  const { scan: _gone, ...rest } = healthOf(id);
  set(({ health }) => ({ health: { ...health, [id]: rest } }));
  await store(id);
}

/** Measures how fast a disk is read, and keeps that beside what was measured before. */
export async function measureDisk(id: string): Promise<void> {
  if (healthOf(id).task) return;
  put(id, { task: { kind: 'speed', startedAt: Date.now(), share: 0 } });
  const told = listener((share: number) =>
    put(id, { task: { kind: 'speed', startedAt: healthOf(id).task?.startedAt ?? 0, share } }),
  );
  const result: SpeedResult | undefined = await during(id, () => engine('speed', id, now(), told));
  if (!result) return;
  put(id, { speeds: [...healthOf(id).speeds, result].slice(-MOST_SPEEDS) });
  await store(id);
}

/** Forgets what was measured at a time. */
export async function dropSpeed(id: string, taken: string): Promise<void> {
  put(id, { speeds: healthOf(id).speeds.filter((s) => s.taken !== taken) });
  await store(id);
}

/** Looks for volumes that no table names. */
export async function findVolumes(id: string): Promise<void> {
  if (healthOf(id).task) return;
  put(id, { task: { kind: 'find', startedAt: Date.now(), share: 0 } });
  const told = listener((done: number, total: number) =>
    put(id, { task: { kind: 'find', startedAt: healthOf(id).task?.startedAt ?? 0, share: done / Math.max(1, total) } }),
  );
  const survey = await during(id, () => engine('find', id, told));
  if (survey) putDisk(id, { survey });
}

/** Looks at what can be mended. */
export async function findMends(id: string): Promise<void> {
  if (healthOf(id).task) return;
  put(id, { task: { kind: 'mends', startedAt: Date.now() } });
  const survey = await during(id, () => engine('lookForMends', id));
  if (survey) putDisk(id, { survey });
}

/** Checks everything once more. */
export async function checkAgain(id: string): Promise<void> {
  if (healthOf(id).task) return;
  put(id, { task: { kind: 'mends', startedAt: Date.now() } });
  const survey = await during(id, () => engine('look', id));
  if (survey) putDisk(id, { survey });
}

/** A task of a disk, which has one at a time; what goes wrong is shown. */
async function during<T>(id: string, act: () => Promise<T>): Promise<T | undefined> {
  try {
    return await act();
  } catch (error) {
    if (!(error instanceof EngineDied)) await show(error);
    return undefined;
  } finally {
    put(id, { task: undefined });
  }
}

/** What a record of a scan says of a disk's failing stretches. */
export function failingIn(scan: ScanRecord | undefined): {
  readonly weak: readonly { start: number; end: number }[];
  readonly dead: readonly { start: number; end: number }[];
} {
  const places = (list: readonly ScanHit[]) => list.map(({ start, end }) => ({ start, end }));
  return { weak: places(scan?.slow ?? []), dead: places(scan?.faults ?? []) };
}
