/** How much a finding matters: told, worth knowing before a change, or a reason to change nothing. */
type Severity = 'info' | 'warning' | 'error';

/** One thing found wrong or worth knowing in on-disk structures. Plain data. */
export interface Finding {
  readonly severity: Severity;
  /** Stable, dotted, lower case: `fat.cross-link`. */
  readonly code: string;
  /** A sentence for a technician. */
  readonly message: string;
  /** Byte offset on the device the finding is about, where there is one. */
  readonly offset?: number;
  readonly path?: string;
  /** Of an error: a person may go on in spite of it, since it does not make carrying data unsafe. */
  readonly overridable?: true;
}

/** The findings with those errors marked that may be overridden. */
export function markOverridable(findings: readonly Finding[], may: (code: string) => boolean): readonly Finding[] {
  return findings.map((f) => (f.severity === 'error' && may(f.code) ? { ...f, overridable: true } : f));
}

/** Whether any finding is an error. */
export function hasErrors(findings: readonly Finding[]): boolean {
  return findings.some((f) => f.severity === 'error');
}
