/** Taking runs back, one by one, and dropping what that needs. */
import { engine } from '@/engine';
import { useEffect, useState } from 'react';
import { afterRewind } from './job';
import { putJob } from './jobs';
import { messageOf, show } from './keeping';
import { dropRun, lookAtWritten } from './run-view';
import { diskOf, get, mayNotEdit, putDisk, set } from './store';
import { look } from './view';

/** A run that can be taken back. */
export type WayBack = Awaited<ReturnType<typeof engine<'waysBack'>>>[number];

/** Puts a disk back as it was before its last run, and all others that the run wrote. */
export async function rewind(id: string): Promise<void> {
  const disk = diskOf(id);
  if (!disk || get().readOnly) return;
  // A run that is not over may be taken back as well.
  if (disk.stored.guarded) return set({ problem: mayNotEdit(get(), id) });
  try {
    const [last] = await engine('waysBack', id);
    const survey = await engine('rewind', id);
    putDisk(id, { survey, stuck: undefined });
    const { source } = disk.stored;
    const job = get().jobs[id];
    if (job) putJob(id, afterRewind(job, survey, source.kind === 'practice' ? source.recipe : undefined));
    dropRun(id);
    await lookAtWritten(last?.with ?? []);
    look({ stage: 'divide', selected: undefined });
  } catch (error) {
    await show(error);
  }
}

/** The runs on a disk that can be taken back, the newest first; nothing while that is not known. */
export function useWaysBack(id: string): { ways: readonly WayBack[] | undefined; fault?: string; again(): void } {
  const [found, setFound] = useState<{ id: string; turn: number; ways?: readonly WayBack[]; fault?: string }>();
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    let live = true;
    engine('waysBack', id).then(
      (ways) => live && setFound({ id, turn, ways }),
      (error: unknown) => live && setFound({ id, turn, fault: messageOf(error) }),
    );
    return () => void (live = false);
  }, [id, turn]);
  const again = (): void => setTurn((n) => n + 1);
  const { ways, fault } = found?.id === id && found.turn === turn ? found : {};
  return { ways, ...(fault ? { fault } : {}), again };
}

/** Keeps what a run, and those before it, came to, and drops what taking them back needs. */
export async function dropWayBack(id: string, run: string): Promise<void> {
  const no = mayNotEdit(get(), id);
  if (no !== undefined) return set({ problem: no });
  try {
    await engine('dropWaysBack', id, run);
  } catch (error) {
    await show(error);
  }
}
