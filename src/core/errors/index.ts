export { CoreError, errorFromData, isCoreError } from './errors';
export type { ErrorCode, ErrorData } from './errors';
export { hasErrors, markOverridable } from './finding';
export type { Finding } from './finding';
