/** Changes of the superblock alone, in all of its copies; and bringing a journal in. */
import { uuidOf } from '../uuid';
import type { Transaction } from '../port';
import { groupStart } from './groups';
import type { ExtState } from './state';
import {
  has,
  hasSuperCopy,
  INCOMPAT,
  sealSuper,
  STATE,
  SUPER,
  SUPER_AT,
  SUPER_BYTES,
  type SuperFields,
} from './superblock';
import { CoreError } from '@/core/errors';

/** Changes fields in the first superblock, and in its copies. */
async function editSuper(
  state: ExtState,
  fields: Partial<SuperFields>,
  tx: Transaction,
  copies: boolean,
): Promise<void> {
  const { g, device } = state;
  const first = state.bytes.slice();
  SUPER.encode(fields, first);
  sealSuper(first, g.checksums);
  await tx.write(SUPER_AT, first);
  for (let n = 1; copies && n < g.groupCount; n++) {
    if (!hasSuperCopy(g, n)) continue;
    const bytes = await device.bytes(groupStart(g, n) * g.blockSize, SUPER_BYTES);
    if (SUPER.decode(bytes).magic !== SUPER.decode(first).magic) continue;
    SUPER.encode(fields, bytes);
    sealSuper(bytes, g.checksums);
    await tx.write(groupStart(g, n) * g.blockSize, bytes);
  }
}

export async function relabelExt(state: ExtState, label: string, tx: Transaction): Promise<void> {
  const text = new Uint8Array(16);
  text.set(new TextEncoder().encode(label));
  await settleExt(state, tx);
  await editSuper(state, settled(state, { label: text }), tx, true);
}

/**
 * Gives it a UUID of its own. Checksums begin with the old one, so that their beginning is written down.
 * @throws CoreError `fs.ability` where that is not possible
 */
export async function identifyExt(state: ExtState, serial: number, tx: Transaction): Promise<void> {
  const { g } = state;
  const { incompat } = g.super;
  if (g.groupChecksums)
    throw new CoreError('fs.ability', {
      fileSystem: 'ext4',
      ability: 'get another UUID with checksums of the older kind',
    });
  await settleExt(state, tx);
  const seed = g.checksums ? { incompat: incompat | INCOMPAT.checksumSeed, checksumSeed: g.seed } : {};
  await editSuper(state, settled(state, { uuid: uuidOf(serial), ...seed }), tx, true);
}

export async function markExt(state: ExtState, tx: Transaction): Promise<void> {
  await settleExt(state, tx);
  await editSuper(state, settled(state, { state: state.g.super.state & ~STATE.clean }), tx, false);
}

/** Fields with those that say that the journal was brought in. */
export const settled = (state: ExtState, fields: Partial<SuperFields>): Partial<SuperFields> => {
  if (!state.pending) return fields;
  const incompat = (fields.incompat ?? state.g.super.incompat) & ~INCOMPAT.recover;
  return { ...fields, incompat: incompat >>> 0 };
};

/** Writes what the journal holds yet to where it belongs, and says that it is empty. */
export async function settleExt(state: ExtState, tx: Transaction): Promise<void> {
  const { pending, g } = state;
  if (!pending || !has(g.super.incompat, INCOMPAT.recover)) return;
  for (const [block, bytes] of pending.blocks) await tx.write(block * g.blockSize, bytes);
  await tx.write(pending.journal.headAt, pending.journal.emptied());
  const first = state.bytes.slice();
  SUPER.encode(settled(state, {}), first);
  sealSuper(first, g.checksums);
  await tx.write(SUPER_AT, first);
}
