/** What a system says of a file, as a refusal with a code and in words a person knows. */
import { CoreError, isCoreError } from '@/core/errors';

const REASONS: Readonly<Record<string, string>> = {
  EACCES: 'you may not do that',
  EPERM: 'you may not do that',
  EISDIR: 'it is a folder',
  ENOTDIR: 'a part of its path is no folder',
  EROFS: 'its storage can only be read',
  EIO: 'its storage reports a fault',
  ENXIO: 'its storage is gone',
  ENODEV: 'its storage is gone',
  ESTALE: 'its storage is gone',
  EBUSY: 'the system is using it',
  ETXTBSY: 'the system is using it',
  ELOOP: 'its links go round in a ring',
  ENAMETOOLONG: 'its name is too long',
  EMFILE: 'too many files are open',
  ENFILE: 'too many files are open',
  EINVAL: 'its storage can’t do that',
  ENOTSUP: 'its storage can’t do that',
  EXDEV: 'it would lie on another storage',
};

/** The error for what went wrong with a file. `act` ends “it can’t be …”; `wanted` is how many bytes were to be kept. */
export function fileError(cause: unknown, name: string, act: string, wanted = 0): CoreError {
  if (isCoreError(cause)) return cause;
  const code = (cause as NodeJS.ErrnoException)?.code ?? 'unknown';
  if (code === 'ENOENT' && act !== 'made') return new CoreError('file.missing', { name }, cause);
  if (code === 'EEXIST') return new CoreError('file.exists', { name }, cause);
  if (code === 'ENOSPC' || code === 'EDQUOT' || code === 'EFBIG')
    return new CoreError('file.full', { name, wanted }, cause);
  const reason = code === 'ENOENT' ? 'its folder is not there' : (REASONS[code] ?? `the system says ${code}`);
  return new CoreError('file.failed', { name, act, reason }, cause);
}
