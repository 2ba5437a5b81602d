import { CoreError } from '@/core/errors';

/** A planned layout that can't be reached, with the reason as the end of a sentence. */
export const refused = (reason: string): CoreError =>
  new CoreError('plan.refused', { reason: `The plan can’t be carried out: ${reason}.` });
