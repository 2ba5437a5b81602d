import { describe, expect, it } from 'vitest';
import { CoreError, errorFromData, hasErrors, isCoreError } from '.';

describe('a core error', () => {
  const error = new CoreError('fs.full', { needed: 10, free: 3 }, new Error('below'));

  it('has a code, a sentence, its facts and its cause', () => {
    expect(error).toMatchObject({ name: 'CoreError', code: 'fs.full', facts: { needed: 10, free: 3 } });
    expect(error.message).toBe('The volume is full: 10 bytes are needed and 3 are free.');
    expect((error.cause as Error).message).toBe('below');
  });

  it('comes back from plain data', () => {
    const back = errorFromData(JSON.parse(JSON.stringify(error.toData())) as ReturnType<CoreError['toData']>);
    expect(back).toMatchObject({ code: 'fs.full', message: error.message, facts: error.facts });
    expect(isCoreError(back, 'fs.full')).toBe(true);
  });

  it('is told from others and by its code', () => {
    expect(isCoreError(error)).toBe(true);
    expect(isCoreError(error, 'fs.exists')).toBe(false);
    expect(isCoreError(new Error('x'))).toBe(false);
    expect(isCoreError(undefined)).toBe(false);
  });

  it('counts one error and many in words', () => {
    const words = (findings: number): string =>
      new CoreError('fs.unsound', { fileSystem: 'FAT', findings, first: 'x' }).message;
    expect(words(1)).toContain('1 error and');
    expect(words(2)).toContain('2 errors and');
  });
});

describe('findings', () => {
  it('are errors only when one is', () => {
    const finding = (severity: 'info' | 'warning' | 'error') => ({ severity, code: 'x', message: 'x' });
    expect(hasErrors([finding('info'), finding('warning')])).toBe(false);
    expect(hasErrors([finding('info'), finding('error')])).toBe(true);
    expect(hasErrors([])).toBe(false);
  });
});
