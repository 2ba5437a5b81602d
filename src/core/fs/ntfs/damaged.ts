import { CoreError } from '@/core/errors';

/** A volume whose structures say what can't be. */
export const damaged = (reason: string, offset = 0): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'NTFS', reason, offset });
