/** Drive letters: C to Z by default, A and B only when asked for, none twice. They belong to the machine in the job. */
import type { Layout, VolumeId } from './layout';
import { refuse, type Refusal } from './refusals';

const DEFAULTS = 'CDEFGHIJKLMNOPQRSTUVWXYZ';

/** Why a letter can't be given to a volume, or undefined when it can. */
export function letterFault(
  layout: Layout,
  id: VolumeId,
  letter: string,
  elsewhere: readonly string[] = [],
): Refusal | undefined {
  if (!/^[A-Z]$/.test(letter)) return refuse('letter.none', { letter });
  const holder = layout.volumes.find((v) => v.id !== id && v.letter === letter);
  if (holder) return refuse('letter.taken', { letter, by: holder.label || 'another volume' });
  return elsewhere.includes(letter) ? refuse('letter.machine', { letter }) : undefined;
}

/** The first default letter that nobody has, after C. */
export function nextLetter(layout: Layout, elsewhere: readonly string[] = []): string | undefined {
  const taken = new Set([...layout.volumes.map((v) => v.letter), ...elsewhere]);
  return [...DEFAULTS].slice(1).find((letter) => !taken.has(letter));
}
