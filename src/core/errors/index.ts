export { CoreError, errorFromData, isCoreError } from './errors';
export type { ErrorCode, ErrorData } from './errors';
export { hasErrors } from './finding';
export type { Finding } from './finding';
