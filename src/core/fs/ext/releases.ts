/** What is taken away from a volume: it is free once everything that is added has its own. */
import { CoreError } from '@/core/errors';
import type { Run } from '../free-space';
import type { Transaction } from '../port';
import { attributesInside, isAttributes, referencesOf, sealAttributes, setReferences } from './attributes';
import type { Draft } from './draft';
import { attributeBlockOf, FLAG, flagsOf, INODE, setBlocks, typeOf, TYPE } from './inode';
import type { NewInodes } from './new-inodes';
import { mapOf, type ExtState } from './state';
import { has } from './superblock';

export class Releases {
  readonly #freed: Run[] = [];
  readonly #inodes: { readonly number: number; readonly folder: boolean }[] = [];

  constructor(
    private readonly state: ExtState,
    private readonly inodes: NewInodes,
  ) {}

  blocks(start: number, length: number): void {
    this.#freed.push({ start, length });
  }

  /** What an inode had is free in the end; the inode says that it is gone. */
  async inode(number: number, inode: Uint8Array): Promise<void> {
    // What was added and is taken away again is nowhere on the volume yet.
    const { extents, inner } = this.inodes.maps.get(number) ?? mapOf(this.state, number);
    if (attributesInside(inode).some((a) => a.inode !== 0))
      throw new CoreError('fs.ability', {
        fileSystem: 'ext4',
        ability: 'lose files whose attributes have inodes of their own',
      });
    for (const { block, length } of extents) this.#freed.push({ start: block, length });
    for (const block of inner) this.#freed.push({ start: block, length: 1 });
    await this.#releaseAttributes(attributeBlockOf(inode));
    const { changed } = INODE.decode(inode);
    this.#inodes.push({ number, folder: typeOf(inode) === TYPE.folder });
    if (has(flagsOf(inode), FLAG.extents)) this.inodes.setMap(number, inode, []);
    else INODE.encode({ map: new Uint8Array(60) }, inode);
    INODE.encode(
      { deleted: Math.max(1, changed), sizeLow: 0, sizeHigh: 0, attributesLow: 0, attributesHigh: 0 },
      inode,
    );
    setBlocks(inode, 0, this.state.g);
  }

  readonly #shared = new Map<number, Uint8Array>();

  async #releaseAttributes(block: number): Promise<void> {
    if (block === 0) return;
    const { g, device } = this.state;
    const bytes = this.#shared.get(block) ?? (await device.bytes(block * g.blockSize, g.blockSize));
    if (!isAttributes(bytes)) return;
    const left = referencesOf(bytes) - 1;
    setReferences(bytes, Math.max(0, left));
    this.#shared.set(block, bytes);
    if (left > 0) return;
    this.#shared.delete(block);
    this.#freed.push({ start: block, length: 1 });
  }

  /** Blocks of attributes that others still have, and all that is free from now on. */
  async finish(draft: Draft, tx: Transaction): Promise<void> {
    const { g } = this.state;
    for (const [block, bytes] of this.#shared) {
      sealAttributes(bytes, block, g);
      await tx.write(block * g.blockSize, bytes);
    }
    for (const { start, length } of this.#freed) draft.mark(start, length, false);
    for (const { number, folder } of this.#inodes) draft.markInode(number, false, folder);
  }
}
