/** Which disks of the bench are shown, and in which order. */
import { knownInfo } from '@/core/inspect';
import type { BenchDisk, JobState } from '@/state';

export type Order = 'added' | 'name' | 'size' | 'free';

export const ORDERS: readonly { readonly order: Order; readonly label: string }[] = [
  { order: 'added', label: 'As they came' },
  { order: 'name', label: 'By name' },
  { order: 'size', label: 'Largest first' },
  { order: 'free', label: 'Most free first' },
];

/** What is free inside volumes and between them. Bytes. */
function freeOn({ survey }: BenchDisk): number {
  if (!survey) return 0;
  const inside = survey.volumes.reduce((sum, v) => sum + (knownInfo(v)?.free ?? 0), 0);
  return inside + survey.unallocated.reduce((sum, g) => sum + g.end - g.start, 0);
}

const BY: Readonly<Record<Order, (a: BenchDisk, b: BenchDisk) => number>> = {
  added: () => 0,
  name: (a, b) => a.stored.name.localeCompare(b.stored.name),
  size: (a, b) => (b.survey?.size ?? 0) - (a.survey?.size ?? 0),
  free: (a, b) => freeOn(b) - freeOn(a),
};

/** Whether every word of a text is in one of the given. */
export const isFound = (text: string, among: readonly string[]): boolean => {
  const all = among.join('\n').toLowerCase();
  return text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => all.includes(word));
};

/** Disks by their own name and the letters and labels of their volumes. */
export function inOrder(
  disks: readonly BenchDisk[],
  jobs: Readonly<Record<string, JobState>>,
  order: Order,
  text: string,
): BenchDisk[] {
  const words = ({ stored: { id, name } }: BenchDisk): string[] => [
    name,
    ...(jobs[id]?.now.volumes.flatMap((v) => [v.label, v.letter ? `${v.letter}:` : '']) ?? []),
  ];
  return disks.filter((disk) => isFound(text, words(disk))).sort(BY[order]);
}
