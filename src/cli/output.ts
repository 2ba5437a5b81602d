/** What the runner says and how it ends: 0 done, 1 the answer is no, 2 bad usage; errors are one sentence on stderr. */
import { CoreError, isCoreError, type ErrorCode } from '@/core/errors';

export const EXIT = { done: 0, no: 1, usage: 2 } as const;

const USAGE_CODES: ReadonlySet<ErrorCode> = new Set<ErrorCode>([
  'target.invalid',
  'recipe.invalid',
  'size.unreadable',
  'size.unit',
  'size.negative',
]);

/** A mistake in how the runner was called. */
export class UsageError extends Error {}

/** Prints a document, or its plain words. */
export function print(document: unknown, words: readonly string[], json: boolean | undefined): void {
  process.stdout.write(json ? `${JSON.stringify(document, null, 2)}\n` : words.map((line) => `${line}\n`).join(''));
}

/** Prints one sentence and says how to end. */
export function fail(error: unknown): number {
  const message = error instanceof Error ? error.message : String(error);
  process.stderr.write(`${message.replaceAll('\n', ' ')}\n`);
  if (error instanceof UsageError) return EXIT.usage;
  if (isCoreError(error)) return USAGE_CODES.has(error.code) ? EXIT.usage : EXIT.no;
  return (error as NodeJS.ErrnoException).code === 'ENOENT' ? EXIT.usage : EXIT.no;
}

/** A refusal as a document, for `plan --json`. */
export function refusalDocument(error: CoreError): { version: 1; refusal: ReturnType<CoreError['toData']> } {
  return { version: 1, refusal: error.toData() };
}
