import { describe, expect, it } from 'vitest';
import { fileBehind, mayRead, partsOf, together } from './picked';

const file = (name: string, text: string, lastModified = 1): File => new File([text], name, { lastModified });
const handleOf = (of: File, state: PermissionState = 'granted'): FileSystemFileHandle =>
  ({ getFile: async () => of, queryPermission: async () => state }) as never;
const picked = (...files: File[]) => files.map((one) => ({ file: one, handle: handleOf(one) }));

const PARTS = [file('scans.img.001', 'aaaa', 5), file('scans.img.002', 'bbbb', 9), file('scans.img.003', 'cc', 7)];

describe('what was picked together', () => {
  it('is one image where it is in parts, in whatever order, beside what else there is', async () => {
    const other = file('other.img', 'x');
    const [image, alone] = together(picked(PARTS[2]!, other, PARTS[0]!, PARTS[1]!));
    expect(image!.file).toMatchObject({ name: 'scans.img', size: 10, lastModified: 9 });
    expect(await image!.file.text()).toBe('aaaabbbbcc');
    expect(partsOf(image!.file)).toEqual(PARTS);
    expect(alone!.file).toBe(other);
    // The next day it is found again by its handles.
    const again = await fileBehind(image!.handle!);
    expect([await again.text(), partsOf(again)]).toEqual(['aaaabbbbcc', PARTS]);
    expect(await mayRead(image!.handle!, false)).toBe(true);
    const denied = [handleOf(PARTS[0]!), handleOf(PARTS[1]!, 'prompt')];
    expect(await mayRead(denied, false)).toBe(false);
  });

  it.each([
    ['is missing', [PARTS[0]!, PARTS[2]!], /scans\.img\.002 was not picked/],
    ['is short', [PARTS[0]!, file('scans.img.002', 'b'), PARTS[2]!], /scans\.img\.002 is not as long/],
  ])('is refused where a part %s', (_what, files, words) => {
    expect(() => together(picked(...files))).toThrow(words);
  });

  it('keeps to itself what is no part of anything', () => {
    const files = [PARTS[0]!, file('other.002', 'x'), file('a.img', 'y')];
    expect(together(picked(...files)).map((one) => one.file)).toEqual(files);
  });
});
