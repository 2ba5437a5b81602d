/** The documents that the runner prints and files hold: plain JSON of a stated version. */
import type { Finding } from '@/core/errors';
import { fileSystemOf, type Survey } from '@/core/inspect';
import { stepWords, wayOf, type Plan, type Step } from '@/core/plan';
import { sizeFaces } from '@/core/size';

/** What `inspect` prints. */
export function inspectDocument(survey: Survey) {
  return {
    version: 1 as const,
    disk: {
      size: sizeFaces(survey.size),
      sectorSize: survey.sectorSize,
      table: survey.table,
      signature: survey.diskSignature,
    },
    volumes: survey.volumes.map((v) => ({
      number: v.number,
      start: v.start,
      size: sizeFaces(v.length),
      fileSystem: fileSystemOf(v),
      label: v.info?.label ?? '',
      clusterSize: v.info?.clusterSize ?? null,
      used: v.info?.used ?? null,
      files: v.files,
      floor: v.limits?.floor ?? null,
      ceiling: v.limits?.ceiling ?? null,
      role: v.role,
      active: v.active,
      type: v.type,
      fault: v.fault?.message ?? null,
    })),
    unallocated: survey.unallocated.map(({ start, end }) => ({ start, size: sizeFaces(end - start) })),
    findings: survey.findings,
  };
}

/** What `check` prints. */
export function checkDocument(
  volumes: readonly { number: number; fileSystem: string; findings: readonly Finding[] }[],
  table: readonly Finding[],
) {
  return { version: 1 as const, table, volumes };
}

/** What kinds of steps are called in documents of version 1: carrying has a name for each way. */
const CARRIED = { move: 'move', away: 'park', back: 'fetch', copy: 'copy' } as const;
const kindIn = (step: Step) => (step.kind === 'carry' ? CARRIED[wayOf(step)] : step.kind);

/** What `plan` prints. */
export function planDocument(plan: Plan, notes: readonly string[]) {
  return {
    version: 1 as const,
    steps: plan.steps.map((step) => ({
      ...stepWords(step),
      kind: kindIn(step),
      ...step.cost,
      loses: 'loses' in step ? (step.loses ?? null) : null,
    })),
    total: plan.total,
    loses: plan.loses,
    hazards: plan.hazards,
    after: plan.after,
    notes,
  };
}
