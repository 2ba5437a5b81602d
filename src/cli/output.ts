/** What the runner says and how it ends: 0 done, 1 the answer is no, 2 bad usage or a fault; errors are one sentence. */
import { plain } from '@/core/bytes';
import { CoreError, isCoreError, type ErrorCode } from '@/core/errors';

export const EXIT = { done: 0, no: 1, usage: 2 } as const;

const USAGE_CODES: ReadonlySet<ErrorCode> = new Set<ErrorCode>([
  'target.invalid',
  'scan.invalid',
  'recipe.invalid',
  'document.invalid',
  'size.unreadable',
  'size.unit',
  'size.negative',
  'file.missing',
  'file.exists',
  'file.same',
  'file.full',
  'file.failed',
  'device.write-failed',
]);

/** A mistake in how the runner was called. */
export class UsageError extends Error {}

/** JSON on several lines that holds nothing a terminal acts on. */
const asJson = (document: unknown): string => JSON.stringify(document, null, 2).split('\n').map(plain).join('\n');

/** Prints a document, or its plain words. */
export function print(document: unknown, words: readonly string[], json: boolean | undefined): void {
  process.stdout.write(json ? `${asJson(document)}\n` : words.map((line) => `${plain(line)}\n`).join(''));
}

/** A sentence beside what is printed. */
export function note(text: string): void {
  process.stderr.write(`${plain(text)}\n`);
}

/** Prints one sentence and says how to end. */
export function fail(error: unknown): number {
  const message = error instanceof Error ? error.message : String(error);
  const known = error instanceof UsageError || isCoreError(error);
  note(
    known ? message.replaceAll('\n', ' ') : `This is a fault of the program itself (${message.replaceAll('\n', ' ')}).`,
  );
  if (error instanceof UsageError) return EXIT.usage;
  return isCoreError(error) && !USAGE_CODES.has(error.code) ? EXIT.no : EXIT.usage;
}

/** A refusal as a document, for `plan --json`. */
export function refusalDocument(error: CoreError): { version: 1; refusal: ReturnType<CoreError['toData']> } {
  return { version: 1, refusal: error.toData() };
}
