/** How the folders of a volume are written, by its features. */
import { UNSIGNED } from './name-hash';
import type { FolderStyle } from './build-folder';
import { COMPAT, has, HASH_FLAG, INCOMPAT, type Geometry } from './superblock';

/** @param seed what the checksums of the folder's blocks begin with */
export function styleOf(g: Geometry, seed: number): FolderStyle {
  const { super: s } = g;
  const index = has(s.compat, COMPAT.dirIndex) && s.hashVersion < UNSIGNED;
  return {
    blockSize: g.blockSize,
    seed: g.checksums ? seed : undefined,
    typed: has(s.incompat, INCOMPAT.filetype),
    ...(index
      ? {
          index: {
            version: s.hashVersion,
            signed: has(s.flags, HASH_FLAG.unsigned) ? UNSIGNED : 0,
            seed: s.hashSeed,
            deep: has(s.incompat, INCOMPAT.largeDir),
          },
        }
      : {}),
  };
}
