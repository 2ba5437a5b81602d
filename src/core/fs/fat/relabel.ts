/**
 * What a FAT volume is known by. Its label stands in the boot sector, for those that read it there, and as an entry of the
 * root; its serial in the boot sector alone.
 */
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { clusterOffset, DIRECTORY_ENTRY_BYTES, EXTENDED_16, EXTENDED_32, rootOffset } from './boot-sector';
import { ATTRIBUTE, buildSlots, parseDirectory } from './directory';
import { normaliseLabel, packLabel } from './names';
import type { FatTree } from './tree';
import { chainRuns, readRuns, type FatState } from './volume-state';

const DELETED = 0xe5;
const EXTENDED_SIGNATURES = [0x28, 0x29];

/** Sets or clears the label. @throws CoreError `fs.label`, or `fs.full` when the root has no entry left for it */
export async function relabelVolume(state: FatState, tree: FatTree, label: string, tx: Transaction): Promise<void> {
  const text = normaliseLabel(label);
  await writeBootLabel(state, text, tx);
  if (tree.label) await rewriteEntry(tree.label.offset, text, tx);
  else if (text) await addEntry(state, text, tx);
}

/** Gives it another serial; one whose boot sector has no place for it stays as it is. */
export function identifyVolume(state: FatState, serial: number, tx: Transaction): Promise<void> {
  return changeExtended(state, tx, (sector, record) => record.encode({ serial }, sector));
}

function writeBootLabel(state: FatState, text: string, tx: Transaction): Promise<void> {
  const at = state.geometry.kind === 'fat32' ? 71 : 43;
  return changeExtended(state, tx, (sector) => sector.set(packLabel(text || 'NO NAME'), at));
}

/** Changes the extended boot record, and its copy, where there is one. */
async function changeExtended(
  { geometry: g, boot }: FatState,
  tx: Transaction,
  change: (sector: Uint8Array, record: typeof EXTENDED_16 | typeof EXTENDED_32) => void,
): Promise<void> {
  const record = g.kind === 'fat32' ? EXTENDED_32 : EXTENDED_16;
  if (!EXTENDED_SIGNATURES.includes(record.decode(boot).bootSignature)) return;
  const sector = boot.slice();
  change(sector, record);
  await tx.write(0, sector);
  if (g.backupSector) await tx.write(g.backupSector * g.sectorSize, sector);
}

async function rewriteEntry(offset: number, text: string, tx: Transaction): Promise<void> {
  const entry = new Uint8Array(DIRECTORY_ENTRY_BYTES);
  await tx.read(offset, entry);
  if (text) entry.set(packLabel(text), 0);
  else entry[0] = DELETED;
  await tx.write(offset, entry);
}

async function addEntry(state: FatState, text: string, tx: Transaction): Promise<void> {
  const { geometry: g } = state;
  const runs = g.rootCluster ? chainRuns(state, g.rootCluster, g.clusterCount) : [];
  const bytes = g.rootCluster
    ? await readRuns(state, runs)
    : await state.device.bytes(rootOffset(g), g.rootEntries * DIRECTORY_ENTRY_BYTES);
  const at = freeSlot(bytes);
  if (at === undefined) throw new CoreError('fs.full', { needed: DIRECTORY_ENTRY_BYTES, free: 0 });
  const clusters = runs.flatMap((run) => Array.from({ length: run.length }, (_, i) => run.start + i));
  const offset = g.rootCluster
    ? clusterOffset(g, clusters[Math.floor(at / g.clusterSize)]!) + (at % g.clusterSize)
    : rootOffset(g) + at;
  await tx.write(offset, buildSlots({ name: packLabel(text), attributes: ATTRIBUTE.label }, undefined));
  await endAfter(bytes, at, offset, g.clusterSize, tx);
}

/** Taking the slot of the end mark must not bring to light what lay behind it. */
async function endAfter(
  bytes: Uint8Array,
  at: number,
  offset: number,
  clusterSize: number,
  tx: Transaction,
): Promise<void> {
  const next = at + DIRECTORY_ENTRY_BYTES;
  if (bytes[at] !== 0 || next >= bytes.length || bytes[next] === 0) return;
  if (next % clusterSize === 0) throw new CoreError('fs.full', { needed: DIRECTORY_ENTRY_BYTES, free: 0 });
  await tx.write(offset + DIRECTORY_ENTRY_BYTES, new Uint8Array(DIRECTORY_ENTRY_BYTES));
}

function freeSlot(bytes: Uint8Array): number | undefined {
  const { end } = parseDirectory(bytes);
  for (let at = 0; at < end; at += DIRECTORY_ENTRY_BYTES) if (bytes[at] === DELETED) return at;
  return end + DIRECTORY_ENTRY_BYTES <= bytes.length ? end : undefined;
}
