import { CoreError } from '@/core/errors';
import type { SurveyedVolume } from '@/core/inspect';

/** A planned layout that can't be reached, with the reason as the end of a sentence. */
export const refused = (reason: string): CoreError =>
  new CoreError('plan.refused', { reason: `The plan can’t be carried out: ${reason}.` });

/** What is not sound is not changed, nor taken as the measure of what is. */
export const unsound = ({ info, findings }: SurveyedVolume, first: string): CoreError =>
  new CoreError('fs.unsound', { fileSystem: info?.title ?? 'unknown', findings: findings.length, first });
