/** Putting a table back as it was copied. */
import { factsOf, type Survey } from '@/core/inspect';
import type { DiskTable } from '@/core/table';
import { hazardsOf } from './hazards';
import type { Plan } from './plan';
import type { Step } from './steps';

/**
 * The work order that puts a table back as it was copied, whatever is on the disk: one step that writes the table. The
 * copy was compared and a person said yes; no volume's content is touched.
 * @throws CoreError `plan.refused`
 */
export function deriveRestore(survey: Survey, table: Exclude<DiskTable, { kind: 'none' }>): Plan {
  const volumes = table.kind === 'gpt' ? table.entries.length : table.primaries.length + table.logicals.length;
  const cost = { reads: 0, carries: 0, writes: survey.sectorSize, seconds: 1 };
  const name = 'the partition table';
  const steps: Step[] = [{ kind: 'table', name, table, from: survey.table, volumes, mends: [], cost }];
  const after = ['Look at the disk again: what the table describes is shown as it is found.'];
  const hazards = hazardsOf(survey, steps, cost);
  return {
    relies: factsOf(survey),
    sources: [],
    lent: [],
    steps,
    total: cost,
    leastCarried: 0,
    loses: { files: 0, bytes: 0 },
    hazards,
    after,
  };
}
