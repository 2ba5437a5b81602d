/** What a person picked or dropped: files, and images that come in parts, which are one behind the other. */
import { CoreError } from '@/core/errors';
import { isFirstPart, partName } from '@/core/image';

/** What outlives the page of a file, or of the parts of an image in their order. */
export type KeptHandle = FileSystemFileHandle | readonly FileSystemFileHandle[];

/** A file with its handle, where the browser has them. */
export interface PickedFile {
  readonly file: File;
  readonly handle?: FileSystemFileHandle | undefined;
}

const PART = /\.\d{3}$/;
const made = new WeakMap<File, readonly File[]>();

/** The files that one was joined from. */
export const partsOf = (file: File): readonly File[] | undefined => made.get(file);

const byName = (a: PickedFile, b: PickedFile): number => (a.file.name < b.file.name ? -1 : 1);

/**
 * What is opened of files that were picked together: parts as the one image that they are, all else by itself.
 * @throws CoreError `image.container` where a part is missing, or shorter than the first
 */
export function together(picked: readonly PickedFile[]): { file: File; handle?: KeptHandle | undefined }[] {
  const firsts = picked.filter(({ file }) => isFirstPart(file.name)).map(({ file }) => file.name);
  const images = firsts.flatMap((first) => {
    const own = picked.filter(({ file: { name } }) => PART.test(name) && name.slice(0, -4) === first.slice(0, -4));
    return own.length > 1 ? [own.sort(byName)] : [];
  });
  const inImages = new Set(images.flat());
  const alone = picked.filter((one) => !inImages.has(one));
  return [...images.map(joined), ...alone];
}

function joined(parts: readonly PickedFile[]): { file: File; handle?: KeptHandle | undefined } {
  const files = parts.map(({ file }) => file);
  const [first] = files as [File];
  const refuse = (reason: string): never => {
    throw new CoreError('image.container', { name: first.name, reason });
  };
  for (const [i, { name, size }] of files.entries()) {
    const expected = partName(first.name, i + 1);
    if (name !== expected) refuse(`its part ${expected} was not picked with it`);
    if (i < files.length - 1 && size !== first.size) refuse(`its part ${name} is not as long as the first`);
  }
  const handles = parts.flatMap(({ handle }) => handle ?? []);
  return { file: joinedFile(files), handle: handles.length === parts.length ? handles : undefined };
}

/** Parts as one file, by reference: nothing of them is read. */
function joinedFile(files: readonly File[]): File {
  const lastModified = Math.max(...files.map((f) => f.lastModified));
  const file = new File([...files], files[0]!.name.slice(0, -4), { lastModified });
  made.set(file, files);
  return file;
}

/** The file that a handle leads to. */
export async function fileBehind(handle: KeptHandle): Promise<File> {
  if (!Array.isArray(handle)) return (handle as FileSystemFileHandle).getFile();
  const files: File[] = [];
  for (const part of handle as readonly FileSystemFileHandle[]) files.push(await part.getFile());
  return joinedFile(files);
}

type Permissioned = FileSystemFileHandle & {
  queryPermission?(o: { mode: 'read' }): Promise<PermissionState>;
  requestPermission?(o: { mode: 'read' }): Promise<PermissionState>;
};

/** Whether what a handle leads to may be read; all of it. */
export async function mayRead(handle: KeptHandle, ask: boolean): Promise<boolean> {
  for (const one of (Array.isArray(handle) ? handle : [handle]) as readonly Permissioned[]) {
    const act = ask ? one.requestPermission : one.queryPermission;
    if (act && (await act.call(one, { mode: 'read' })) !== 'granted') return false;
  }
  return true;
}
