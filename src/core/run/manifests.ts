/** The manifests that a run was measured by, from its journal, as the files that people keep. */
import { manifestCsv, type HasherFactory } from '@/core/proof';
import { readRunState } from './journal-state';
import type { JournalStore } from './journal';
import { expectedOf, measuresFor } from './steps';

/** What one kept volume was compared with. */
interface RunManifest {
  readonly number: number;
  readonly name: string;
  /** CSV in pieces; its SHA-256 stands in the certificate. */
  readonly csv: Generator<string>;
}

/**
 * The manifest of each volume that a run proves, or of the one of a number; nothing where no run is in the journal.
 * @throws CoreError `journal.*`
 */
export async function* manifestsIn(
  journal: JournalStore,
  hasher?: HasherFactory,
  only?: number,
): AsyncGenerator<RunManifest> {
  const state = await readRunState(journal);
  for (const step of state?.plan.steps ?? []) {
    if (step.kind !== 'prove' || (only !== undefined && step.number !== only)) continue;
    const entries = await expectedOf(step, await measuresFor(step, journal), hasher);
    yield { number: step.number, name: step.name, csv: manifestCsv(entries) };
  }
}
