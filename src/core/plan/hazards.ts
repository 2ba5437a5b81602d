/** What a person should know before a run. */
import type { Survey } from '@/core/inspect';
import type { Hazard, Step } from './steps';

/** Hazards of a plan on this disk, the weightier first. */
export function hazardsOf(survey: Survey, steps: readonly Step[], override = false): Hazard[] {
  if (steps.length === 0) return [];
  const out: Hazard[] = [];
  const unsound = survey.volumes.flatMap((v) =>
    v.findings.filter((f) => f.severity === 'error').map((f) => ({ v, f })),
  );
  if (override) {
    for (const { v, f } of unsound)
      out.push({ severity: 'warning', message: `Gone on with against the advice: volume ${v.number}: ${f.message}` });
  }
  for (const volume of survey.volumes) {
    for (const finding of volume.findings.filter((f) => f.severity === 'warning')) {
      out.push({ severity: 'warning', message: `Volume ${volume.number}: ${finding.message}` });
    }
  }
  const carries = steps.some((s) => s.cost.carries > 0);
  out.push({
    severity: 'info',
    message: 'Is there a backup? The original is never written here, the disk it goes back to will be.',
  });
  if (carries)
    out.push({ severity: 'info', message: 'A power cut at any moment loses nothing: the run goes on where it was.' });
  return out;
}
