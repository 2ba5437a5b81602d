/** The plan for a target on an image that is open, with the other disks that it names. */
import { CoreError } from '@/core/errors';
import { layoutOf, type Survey } from '@/core/inspect';
import {
  compareTables,
  copyFault,
  jobFit,
  inRounds,
  lookAtTransfers,
  parseJobFile,
  parseTableCopy,
  parseTarget,
  resolveTarget,
  transferWishes,
  parseScan,
  type JobFile,
  type OpenVolumeOf,
  type TableCopy,
  type Target,
} from '@/core/job';
import type { Layout } from '@/core/layout';
import { ranLayouts, type RanLayouts } from '@/core/report';
import { isHere } from '@/core/place';
import { derivePlan, deriveRestore, type Plan } from '@/core/plan';
import type { Files } from './files';
import { scratchIn } from './kept';
import { readJson, type OpenImage } from './open-image';
import { UsageError } from './output';
import type { WithDisks } from './with-disks';

/** How a plan is asked for. */
export interface PlanCall {
  readonly target?: string;
  readonly scratch?: string;
  /** What a scan of the disk found. */
  readonly scan?: string;
  readonly override?: boolean;
  readonly mend?: boolean;
  /** A job, which has a target in it. */
  readonly job?: string;
  /** A copy of a table, which is put back instead of a target. */
  readonly copy?: string;
}

/** Whether a target puts volumes back that were found, which may be on a disk whose table is gone. */
const findsLost = (target: Target): boolean => target.volumes.some((v) => 'find' in v);

/** What is asked for, read before the image is opened: it decides how. @throws UsageError, CoreError `target.*` */
export async function askedOf(files: Files, { target, job: path, mend, copy }: PlanCall): Promise<Asked> {
  if (copy !== undefined) return { kind: 'table', copy: parseTableCopy(await readJson(files, copy)), tableless: true };
  if ([target !== undefined, path !== undefined, mend === true].filter(Boolean).length !== 1)
    throw new UsageError('Say one of --target T.json, --job JOB and --mend.');
  if (mend) return { kind: 'mends', tableless: false };
  if (path !== undefined) {
    const job = parseJobFile(await readJson(files, path));
    return { kind: 'target', target: job.target, job, tableless: findsLost(job.target) };
  }
  const wanted = parseTarget(await readJson(files, target!));
  return { kind: 'target', target: wanted, tableless: findsLost(wanted) };
}

/** What is planned: a layout, everything that can be mended, or a table as it was. */
export type Asked = {
  /** A disk that begins like nothing that is known is taken for one whose table is gone. */
  readonly tableless: boolean;
} & (
  | { readonly kind: 'target'; readonly target: Target; readonly job?: JobFile }
  | { readonly kind: 'mends' }
  | { readonly kind: 'table'; readonly copy: TableCopy }
);

/** A plan, with what a person is told of it, and the layout it leads to. */
export interface Planned {
  readonly plan: Plan;
  readonly notes: readonly string[];
  readonly layout: Layout;
  /** Volumes whose check finds errors are changed all the same. */
  readonly override: boolean;
  /** For its certificate. */
  readonly ran: RanLayouts;
}

/** Errors of volumes that have nothing to be mended from, or more wrong with them than that. */
function leftBy({ volumes }: Survey): string[] {
  return volumes.flatMap(({ number, findings, seen }) => {
    const left = seen && seen.mends.length > 0 ? seen.volume.findings : findings;
    const error = left.find((f) => f.severity === 'error');
    return error ? [`Volume ${number} can’t be mended from what is on it: ${error.message}`] : [];
  });
}

const planned = (survey: Survey, plan: Plan, layout: Layout): Planned => ({
  ...{ plan, layout, notes: [], override: false },
  ran: ranLayouts(survey, layoutOf(survey), layout, plan.steps),
});

/** Everything that can be mended, the table with it. */
function planMends(survey: Survey): Planned {
  const mendTable = survey.table !== 'none' && survey.findings.some((f) => f.severity !== 'info');
  const layout = { ...layoutOf(survey), mend: true, ...(mendTable ? { mendTable } : {}) };
  return { ...planned(survey, derivePlan(survey, layout), layout), notes: leftBy(survey) };
}

/** How the disk is not the one of a job. @throws CoreError `plan.refused` where the job does something with what is not there */
function differencesFrom(job: JobFile, survey: Survey): readonly string[] {
  const { differences, unfit } = jobFit(job, survey);
  if (unfit.length > 0)
    throw new CoreError('plan.refused', { reason: `The job is of another disk. ${unfit.join(' ')}` });
  return differences.map((text) => `Not as in the job: ${text}`);
}

/** A table as it was, on the disk that it was copied of, or one like it. @throws CoreError `plan.refused` */
function planRestore(survey: Survey, copy: TableCopy): Planned {
  const reason = copyFault(survey, copy);
  if (reason) throw new CoreError('plan.refused', { reason });
  const notes = compareTables(survey, copy).map((d) => d.message);
  return { ...planned(survey, deriveRestore(survey, copy.table), layoutOf(survey)), notes };
}

/** @throws UsageError, CoreError `target.*`, `size.*`, `plan.*`, `fs.*`, `table.*` */
export async function planFor(
  files: Files,
  { session }: OpenImage,
  { scratch, scan, override: overridden = false }: PlanCall,
  asked: Asked,
  disks: WithDisks,
): Promise<Planned> {
  if (asked.kind === 'table') return planRestore(session.survey, asked.copy);
  if (asked.kind === 'mends') return planMends(await session.lookForMends());
  const { target, tableless, job } = asked;
  const override = overridden || (job?.override ?? false);
  if (target.mend) await session.lookForMends();
  const survey = tableless ? await session.find() : session.survey;
  const told = job ? differencesFrom(job, survey) : [];
  const resolved = resolveTarget(survey, target, disks.named);
  const { layout } = resolved;
  const wishes = transferWishes(target, resolved, new Set(disks.named.keys()));
  const open: OpenVolumeOf = async ({ disk, number }) =>
    (await (isHere({ disk }) ? session : disks.sessions.get(disk)!).volume(number)).volume;
  const looked = await lookAtTransfers(wishes, layout, open);
  const lent = scratchIn(scratch, survey);
  const windowOf = async (number: number) => (await session.volume(number)).window;
  const transfers = await inRounds(looked, layout, survey, windowOf, lent);
  const { checkAtNextStart, retireFailing } = target;
  if (retireFailing && scan === undefined)
    throw new UsageError('What fails is known from a scan: say --scan FILE, as `scan --json` printed it.');
  const plan = derivePlan(survey, layout, {
    override,
    checkAtNextStart,
    retireFailing,
    ...(scan === undefined ? {} : { failing: parseScan(await readJson(files, scan), survey.size) }),
    scratch: lent,
    disks: disks.sources,
    transfers,
  });
  return { ...planned(survey, plan, layout), notes: [...told, ...resolved.notes], override };
}
