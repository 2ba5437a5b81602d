export { CoreError, errorFromData, isCoreError } from './errors';
export type { ErrorCode, ErrorData, ErrorFacts } from './errors';
export { hasErrors } from './finding';
export type { Finding, Severity } from './finding';
