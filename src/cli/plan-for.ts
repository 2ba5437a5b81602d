/** The plan for a target on an image that is open, with the other disks that it names. */
import { CoreError } from '@/core/errors';
import { layoutOf, type Survey } from '@/core/inspect';
import {
  lookAtTransfers,
  parseTarget,
  resolveTarget,
  transferWishes,
  type OpenVolumeOf,
  type Target,
} from '@/core/job';
import { mendAll } from '@/core/layout';
import { isHere } from '@/core/place';
import { derivePlan, type Plan } from '@/core/plan';
import { scratchIn, type Files } from './files';
import { readJson, type OpenImage } from './open-image';
import { UsageError } from './output';
import type { WithDisks } from './with-disks';

/** How a plan is asked for. */
export interface PlanCall {
  readonly target?: string;
  readonly scratch?: string;
  readonly override?: boolean;
  readonly mend?: boolean;
}

/** Whether a target puts volumes back that were found, which may be on a disk whose table is gone. */
const findsLost = (target: Target): boolean => target.volumes.some((v) => 'find' in v);

/** The target of a call, read before its image is opened: what it asks for decides how. @throws UsageError, CoreError `target.*` */
export async function targetOf(files: Files, { target: path, mend }: PlanCall): Promise<PlanTarget> {
  if (mend && path !== undefined) throw new UsageError('Say --target or --mend, not both.');
  const target = path === undefined ? undefined : parseTarget(await readJson(files, path));
  return { target, tableless: target !== undefined && findsLost(target) };
}

/** What is planned, or that everything is to be mended. */
export interface PlanTarget {
  readonly target: Target | undefined;
  /** A disk that begins like nothing that is known is taken for one whose table is gone. */
  readonly tableless: boolean;
}

/** Errors of volumes that have nothing to be mended from, or more wrong with them than that. */
function leftBy({ volumes }: Survey): string[] {
  return volumes.flatMap(({ number, findings, seen }) => {
    const left = seen && seen.mends.length > 0 ? seen.volume.findings : findings;
    const error = left.find((f) => f.severity === 'error');
    return error ? [`Volume ${number} can’t be mended from what is on it: ${error.message}`] : [];
  });
}

/** Everything that can be mended, the table with it. */
function planMends(survey: Survey): Plan {
  const mendTable = survey.table !== 'none' && survey.findings.some((f) => f.severity !== 'info');
  const mended = mendAll(layoutOf(survey), mendTable);
  if (!mended.ok) throw new CoreError('plan.refused', { reason: mended.reason });
  return derivePlan(survey, mended.layout);
}

/** @throws UsageError, CoreError `target.*`, `size.*`, `plan.*`, `fs.*`, `table.*` */
export async function planFor(
  files: Files,
  { session }: OpenImage,
  { scratch, override = false }: PlanCall,
  { target, tableless }: PlanTarget,
  disks: WithDisks,
): Promise<{ plan: Plan; notes: readonly string[] }> {
  if (!target) {
    const looked = await session.lookForMends();
    return { plan: planMends(looked), notes: leftBy(looked) };
  }
  const survey = tableless ? await session.find() : session.survey;
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
