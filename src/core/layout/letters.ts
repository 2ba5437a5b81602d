/** Drive letters: C to Z by default, A and B only when asked for, none twice. They belong to the machine in the job. */
import type { Layout, VolumeId } from './layout';

const DEFAULTS = 'CDEFGHIJKLMNOPQRSTUVWXYZ';

/** Why a letter can't be given to a volume, or undefined when it can. */
export function letterFault(
  layout: Layout,
  id: VolumeId,
  letter: string,
  elsewhere: readonly string[] = [],
): string | undefined {
  if (!/^[A-Z]$/.test(letter)) return `“${letter}” is not a letter from A to Z.`;
  const holder = layout.volumes.find((v) => v.id !== id && v.letter === letter);
  if (holder) return `${letter} is the letter of ${holder.label || 'another volume'}.`;
  return elsewhere.includes(letter) ? `${letter} is in use on this machine.` : undefined;
}

/** The first default letter that nobody has, after C. */
export function nextLetter(layout: Layout, elsewhere: readonly string[] = []): string | undefined {
  const taken = new Set([...layout.volumes.map((v) => v.letter), ...elsewhere]);
  return [...DEFAULTS].slice(1).find((letter) => !taken.has(letter));
}
