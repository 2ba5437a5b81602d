/** The certificate of a run: what was compared, how, and with what outcome. Versioned plain data. */
import type { Finding } from '@/core/errors';
import type { Comparison } from './compare';

/** The proof of one kept volume. */
export interface VolumeProof extends Comparison {
  readonly number: number;
  readonly name: string;
  /** What the structure check found afterwards. */
  readonly findings: readonly Finding[];
}

/** What came of a run: everything kept is as it was, something is not, or nothing was kept that could be compared. */
type Outcome = 'proven' | 'differs' | 'nothing kept';

export interface Certificate {
  readonly version: 1;
  readonly started: string;
  readonly finished: string;
  readonly proven: boolean;
  readonly outcome: Outcome;
  readonly volumes: readonly VolumeProof[];
  /** What the steps did, in plain words. */
  readonly steps: readonly string[];
}

/** Puts a certificate together; it proves only if nothing differs and no structure has an error. */
export function certify(
  started: string,
  finished: string,
  steps: readonly string[],
  volumes: readonly VolumeProof[],
): Certificate {
  const same = volumes.every((v) => v.differing === 0 && v.findings.every((f) => f.severity !== 'error'));
  const outcome = !same ? 'differs' : volumes.length === 0 ? 'nothing kept' : 'proven';
  return { version: 1, started, finished, proven: outcome === 'proven', outcome, volumes, steps };
}
