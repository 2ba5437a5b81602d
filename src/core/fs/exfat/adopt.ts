/**
 * Taking over the files of another volume where they lie. Clusters of both are of one size and line up, so that a file of
 * the other volume gets a set of entries here, with the clusters it has there shifted by a whole number. Sets go over as
 * they are, names and what belongs to them apart.
 */
import { CoreError } from '@/core/errors';
import { runsOf } from '../bitmap';
import type { Run } from '../free-space';
import type { Adoption } from '../port';
import type { ExfatGeometry } from './boot-region';
import type { ExfatState } from './boot-edits';
import { ENTRY_BYTES, FILE, IN_USE, nameHash, NAME_UNITS, setChecksum, STREAM, STREAM_FLAG, TYPE } from './entries';
import { readOwner, type Owner } from './owner';
import type { ExfatWriter } from './writer';

/** A file's set with clusters as they are numbered here, and all that has clusters by it. */
export interface AdoptedSet {
  readonly set: Uint8Array;
  readonly parts: readonly { readonly runs: readonly Run[]; readonly contiguous: boolean }[];
}

/** By how much cluster numbers of another volume differ. @throws CoreError `fs.ability` where clusters don't line up */
export function clusterShift(source: ExfatGeometry, to: ExfatGeometry, offset: number): number {
  const bytes = offset + source.heapSector * source.sectorSize - to.heapSector * to.sectorSize;
  if (source.clusterSize !== to.clusterSize || bytes % to.clusterSize !== 0)
    throw new CoreError('fs.ability', {
      fileSystem: 'exFAT',
      ability: 'take over files whose clusters do not line up',
    });
  return bytes / to.clusterSize;
}

/** Bad clusters, by the numbers that they have here. */
export function badRuns({ geometry, tree }: ExfatState, shift: number): Run[] {
  return runsOf(tree.bad, 0, geometry.clusterCount, true).map((r) => ({ ...r, start: r.start + 2 + shift }));
}

/** The same set under another name. */
export function renamedSet(set: Uint8Array, name: string, upcase: Uint16Array): Uint8Array {
  const before = nameEntries(set);
  const names = Math.ceil(name.length / NAME_UNITS);
  const rest = set.subarray((2 + before) * ENTRY_BYTES);
  const out = new Uint8Array((2 + names) * ENTRY_BYTES + rest.length);
  out.set(set.subarray(0, 2 * ENTRY_BYTES));
  out.set(rest, (2 + names) * ENTRY_BYTES);
  const view = new DataView(out.buffer);
  for (let i = 0; i < name.length; i++) {
    const entry = (2 + Math.floor(i / NAME_UNITS)) * ENTRY_BYTES;
    out[entry] = TYPE.name;
    view.setUint16(entry + 2 + (i % NAME_UNITS) * 2, name.charCodeAt(i), true);
  }
  STREAM.encode({ nameLength: name.length, nameHash: nameHash(name, upcase) }, out, ENTRY_BYTES);
  FILE.encode({ secondaryCount: out.length / ENTRY_BYTES - 1 }, out);
  FILE.encode({ checksum: setChecksum(out) }, out);
  return out;
}

function nameEntries(set: Uint8Array): number {
  let count = 0;
  while (set[(2 + count) * ENTRY_BYTES] === TYPE.name) count += 1;
  return count;
}

/** Takes over a tree by a writer on the grown volume. */
export async function takeOver(
  writer: ExfatWriter,
  source: ExfatState,
  files: readonly Owner[],
  { above, entries }: Adoption,
  shift: number,
): Promise<void> {
  for (const { path, facts } of above) await writer.mkdir(path, facts);
  const sets = new Sets(source, shift);
  for (const { entry, to } of entries) {
    const owner = files[entry.id];
    if (!owner) throw new CoreError('fs.not-found', { path: entry.path });
    const { times, attributes } = entry;
    if (owner.kind === 'folder') await writer.mkdir(to, { times, attributes });
    else await writer.adopt(to, await sets.of(owner));
  }
}

/** Sets of entries as they stand in the folders of the other volume, each of which is read once. */
class Sets {
  readonly #folders = new Map<Owner, Uint8Array>();
  readonly #beside = new Map<Owner, Map<number, Owner[]>>();

  constructor(
    private readonly source: ExfatState,
    private readonly shift: number,
  ) {
    for (const owner of source.tree.owners) {
      if (owner.kind !== 'other' || !owner.at) continue;
      const { folder, set } = owner.at;
      const known = this.#beside.get(folder) ?? new Map<number, Owner[]>();
      this.#beside.set(folder, known.set(set, [...(known.get(set) ?? []), owner]));
    }
  }

  async of(owner: Owner): Promise<AdoptedSet> {
    const { folder, set: at, setBytes } = owner.at!;
    const { device, geometry } = this.source;
    const bytes = this.#folders.get(folder) ?? (await readOwner(device, geometry, folder.runs, folder.size));
    this.#folders.set(folder, bytes);
    const set = bytes.slice(at, at + setBytes);
    for (let entry = ENTRY_BYTES; entry < set.length; entry += ENTRY_BYTES) this.#shiftEntry(set, entry);
    const all = [owner, ...(this.#beside.get(folder)?.get(at) ?? [])];
    const moved = (runs: readonly Run[]): Run[] => runs.map((r) => ({ ...r, start: r.start + this.shift }));
    return { set, parts: all.map(({ runs, contiguous }) => ({ runs: moved(runs), contiguous })) };
  }

  #shiftEntry(set: Uint8Array, entry: number): void {
    if (set[entry] === TYPE.name || (set[entry]! & IN_USE) === 0) return;
    const { flags, firstCluster } = STREAM.decode(set, entry);
    if ((flags & STREAM_FLAG.allocation) === 0 || firstCluster === 0) return;
    STREAM.encode({ firstCluster: firstCluster + this.shift }, set, entry);
  }
}
