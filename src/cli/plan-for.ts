/** The plan for a target on an image that is open, with the other disks that it names. */
import { lookAtTransfers, parseTarget, resolveTarget, transferWishes, type OpenVolumeOf } from '@/core/job';
import { isHere } from '@/core/place';
import { derivePlan, type Plan } from '@/core/plan';
import { scratchIn, type Files } from './files';
import { readJson, type OpenImage } from './open-image';
import type { WithDisks } from './with-disks';

/** How a plan is asked for. */
export interface PlanCall {
  readonly target?: string;
  readonly scratch?: string;
  readonly override?: boolean;
}

/** @throws UsageError, CoreError `target.*`, `size.*`, `plan.*`, `fs.*`, `table.*` */
export async function planFor(
  files: Files,
  { session }: OpenImage,
  { target: path, scratch, override = false }: PlanCall,
  disks: WithDisks,
): Promise<{ plan: Plan; notes: readonly string[] }> {
  const target = parseTarget(await readJson(files, path!));
  const { survey } = session;
  const resolved = resolveTarget(survey, target, disks.named);
  const { layout, notes } = resolved;
  const wishes = transferWishes(target, resolved, new Set(disks.named.keys()));
  const open: OpenVolumeOf = async ({ disk, number }) =>
    (await (isHere({ disk }) ? session : disks.sessions.get(disk)!).volume(number)).volume;
  const transfers = await lookAtTransfers(wishes, layout, open);
  const plan = derivePlan(survey, layout, {
    override,
    checkAtNextStart: target.checkAtNextStart,
    scratch: scratchIn(scratch, survey),
    disks: disks.sources,
    transfers,
  });
  return { plan, notes };
}
