/** A folder that is being written to. */
import type { ExfatState } from './boot-edits';
import { ENTRY_BYTES, IN_USE, nameIn, TYPE } from './entries';
import { readOwner, type Owner } from './owner';

export interface OpenFolder {
  /** The folder's own content with room to grow, and how much of it has clusters. */
  bytes: Uint8Array;
  size: number;
  runs: { start: number; length: number }[];
  /** Where the next set goes: behind the last entry in use. */
  end: number;
  /** Names in capitals. */
  readonly names: Set<string>;
  /** Where its own entry is, to be changed when it grows; none for the root. */
  readonly at?: { readonly parent: OpenFolder; readonly set: number };
  readonly fresh: boolean;
  grown: boolean;
  dirty: boolean;
}

/** Reads a folder of the volume. @throws CoreError `device.read-failed` */
export async function openFolder(
  { device, geometry, tree }: ExfatState,
  owner: Owner,
  parent: OpenFolder | undefined,
): Promise<OpenFolder> {
  const bytes = await readOwner(device, geometry, owner.runs, owner.size);
  const names = new Set<string>();
  let end = 0;
  for (let at = 0; at + ENTRY_BYTES <= bytes.length && bytes[at] !== 0; at += ENTRY_BYTES) {
    if ((bytes[at]! & IN_USE) !== 0) end = at + ENTRY_BYTES;
    if (bytes[at] !== TYPE.file) continue;
    const set = bytes.subarray(at, at + (bytes[at + 1]! + 1) * ENTRY_BYTES);
    names.add(fold(nameIn(set), tree.upcase));
  }
  const runs = owner.runs.map((r) => ({ ...r }));
  const at = parent && owner.at ? { at: { parent, set: owner.at.set } } : {};
  return { bytes, size: bytes.length, runs, end, names, ...at, fresh: false, grown: false, dirty: false };
}

/** A name in capitals, as the volume's own table has them. */
export function fold(name: string, upcase: ArrayLike<number>): string {
  let out = '';
  for (let i = 0; i < name.length; i++) out += String.fromCharCode(upcase[name.charCodeAt(i)]!);
  return out;
}
