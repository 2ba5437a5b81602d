/** A disk as it stands on the bench: its name, its guard, and what goes with it when it is taken away. */
import { engine, type StoredDisk } from '@/engine';
import { db, fetched, keep } from './keeping';
import { changesIn } from './selectors';
import { diskOf, get, putDisk, type BenchDisk } from './store';

const LONGEST_NAME = 60;

/** Gives a disk another name on the bench. */
export async function renameDisk(id: string, wanted: string): Promise<void> {
  const disk = diskOf(id);
  const name = wanted.trim().slice(0, LONGEST_NAME);
  if (!disk || name === '' || name === disk.stored.name || get().readOnly) return;
  await changeStored(disk, { name });
  await engine('rename', id, name);
}

/** Guards a disk as a whole against every change, or lifts that. */
export async function guardDisk(id: string, guarded: boolean): Promise<void> {
  const disk = diskOf(id);
  if (disk && !get().readOnly) await changeStored(disk, { guarded });
}

async function changeStored(
  { stored }: BenchDisk,
  change: Partial<Pick<StoredDisk, 'name' | 'guarded'>>,
): Promise<void> {
  const next = { ...stored, ...change };
  putDisk(stored.id, { stored: next });
  await keep(() => db.disks.put(next));
}

/** What is lost when a disk is taken off the bench, in sentences. */
export function lostWith(id: string): string[] {
  const { jobs, runs, health } = get();
  const disk = diskOf(id);
  const changes = changesIn(jobs[id]);
  const { scan, speeds = [] } = health[id] ?? {};
  const run = runs[id];
  const practice = disk?.stored.source.kind === 'practice';
  const made = disk?.stored.id.startsWith('described-') ?? false;
  return [
    practice
      ? made
        ? 'The practice disk itself: it is nowhere else.'
        : 'What was done to it: a demo disk is back as it was when the page is loaded again.'
      : 'The image file stays where it is, as it was.',
    ...(changes > 0 ? [`Its plan, with ${changes} change${changes === 1 ? '' : 's'}.`] : []),
    ...(run
      ? [
          practice
            ? 'The certificate and the log of its run.'
            : 'What its run made of it, with the certificate and the log. Export the divided image first.',
        ]
      : []),
    ...(scan || speeds.length > 0 ? ['What was measured of it.'] : []),
  ];
}

/** The volumes of disks as CSV. What writes it is fetched when it is wanted. */
export async function listOf(disks: readonly BenchDisk[]): Promise<string> {
  return (await fetched(() => import('./papers'))).listOf(disks);
}
