/** The certificate of a run: what was compared, how, and with what outcome. Versioned plain data. */
import type { Finding } from '@/core/errors';
import type { Comparison } from './compare';
import type { ManifestEntry } from './manifest';

/** What could not be read of a volume that was copied from a disk that fails. Plain data. */
export interface Losses {
  /** Files with the bytes of each that are zeros in the copy; bounded, `files` has the whole count. */
  readonly listed: readonly { readonly path: string; readonly bytes: number }[];
  readonly files: number;
  /** Bytes of files. */
  readonly bytes: number;
  /** Bytes of structures and of what lies behind the ends of files. */
  readonly elsewhere: number;
}

/** The proof of one kept volume, or of a copy. */
export interface VolumeProof extends Comparison {
  readonly number: number;
  readonly name: string;
  /** What the structure check found afterwards. */
  readonly findings: readonly Finding[];
  readonly lost?: Losses;
  /** SHA-256 of what it was compared with, as the CSV that is kept of it. */
  readonly manifest?: string;
}

/** What was written over, and how that was shown. Plain data; bytes. */
export interface WipeProof {
  /** What it was, in words. */
  readonly title: string;
  /** How, in words: the passes, and what was compared. */
  readonly how: string;
  readonly bytes: number;
  /** Bytes that were read back, and those of them that were not what was written. */
  readonly compared: number;
  readonly differing: number;
  /** Stretches that can’t be written; bounded, `unwrittenBytes` has all. */
  readonly unwritten: readonly { readonly start: number; readonly length: number }[];
  readonly unwrittenBytes: number;
}

/**
 * What came of a run: everything kept is as it was, or is as far as it could be read; something is not; or nothing was kept
 * that could be compared.
 */
type Outcome = 'proven' | 'salvaged' | 'differs' | 'nothing kept';

export interface Certificate {
  readonly version: 1;
  readonly started: string;
  readonly finished: string;
  readonly proven: boolean;
  readonly outcome: Outcome;
  readonly volumes: readonly VolumeProof[];
  /** What the steps did, in plain words. */
  readonly steps: readonly string[];
  readonly wipes?: readonly WipeProof[];
}

const MOST_LISTED = 500;

/** What was lost, from what was read before and from the bytes that the copying could not read; undefined for nothing. */
export function lossesOf(before: readonly ManifestEntry[], unread: number): Losses | undefined {
  const hurt = before.flatMap(({ path, lost }) => (lost ? [{ path, bytes: lost }] : []));
  const bytes = hurt.reduce((sum, h) => sum + h.bytes, 0);
  if (bytes === 0 && unread === 0) return undefined;
  const elsewhere = Math.max(0, unread - bytes);
  return { listed: hurt.slice(0, MOST_LISTED), files: hurt.length, bytes, elsewhere };
}

/** Puts a certificate together; it proves only if nothing differs and no structure has an error. */
export function certify(
  started: string,
  finished: string,
  steps: readonly string[],
  volumes: readonly VolumeProof[],
  wipes: readonly WipeProof[] = [],
): Certificate {
  const wiped = wipes.every((w) => w.differing === 0 && w.unwrittenBytes === 0);
  const same = wiped && volumes.every((v) => v.differing === 0 && v.findings.every((f) => f.severity !== 'error'));
  const lossless = volumes.every((v) => v.lost === undefined);
  const outcome = !same ? 'differs' : volumes.length === 0 ? 'nothing kept' : lossless ? 'proven' : 'salvaged';
  const written = wipes.length > 0 ? { wipes } : {};
  return { version: 1, started, finished, proven: outcome === 'proven', outcome, volumes, steps, ...written };
}
