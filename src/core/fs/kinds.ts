/**
 * What is known of every kind, in the order in which forms offer them, without the drivers themselves: who only names kinds
 * needs none of what opens volumes.
 */
import { CoreError } from '@/core/errors';
import { EXFAT } from './exfat';
import { EXT } from './ext';
import { FAT } from './fat';
import { abilitiesIn, type Abilities, type KindFacts, type KindsOfDriver } from './kind-facts';
import { NTFS } from './ntfs';
import { SWAP } from './swap';

const ALL: readonly KindsOfDriver[] = [NTFS, EXFAT, FAT, EXT, SWAP];

const ofDriver = (kind: string): KindsOfDriver | undefined =>
  ALL.find((driver) => driver.kinds.some((k) => k.kind === kind));

/** Of a volume whose kind nobody knows. */
export const NO_ABILITIES: Abilities = {
  check: false,
  shrink: false,
  grow: false,
  make: false,
  relabel: false,
  write: false,
  mark: false,
  retire: false,
};

/** What is known of a kind. @throws CoreError `fs.ability` for a kind that no driver has */
export function kindFacts(kind: string): KindFacts {
  const facts = findKind(kind);
  if (!facts) throw new CoreError('fs.ability', { fileSystem: kind, ability: 'be made' });
  return facts;
}

/** What is known of a kind, or undefined for a kind that no driver has. */
export function findKind(kind: string): KindFacts | undefined {
  return ofDriver(kind)?.kinds.find((k) => k.kind === kind);
}

/** What can be done to a volume of a kind; nothing where no driver has it. */
export function abilitiesOf(kind: string): Abilities {
  const driver = ofDriver(kind);
  return driver ? abilitiesIn(driver, kind) : NO_ABILITIES;
}

/** Every kind that can be made, in the order forms offer them. */
export function makeableKinds(): readonly KindFacts[] {
  return ALL.filter((driver) => driver.abilities.make).flatMap((driver) => driver.kinds);
}
