/** What a person should know before a run, and what must be set again after it. */
import type { Survey } from '@/core/inspect';
import { nameOf, type Layout } from '@/core/layout';
import type { Hazard, Step } from './steps';

/** Hazards of a plan on this disk, the weightier first. */
export function hazardsOf(survey: Survey, steps: readonly Step[]): Hazard[] {
  if (steps.length === 0) return [];
  const out: Hazard[] = [];
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

/** What must be set again after the run. */
export function afterOf(survey: Survey, planned: Layout): string[] {
  return planned.volumes
    .filter((v) => v.origin.kind === 'new' && v.letter)
    .map((v) => {
      const binding = survey.diskSignature ? 'the disk signature and its start' : 'the disk';
      return `Set the letter ${v.letter} for ${v.label || nameOf(v)} where the disk goes back: a machine binds letters to ${binding}, and this volume is new.`;
    });
}
