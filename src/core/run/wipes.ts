/** What a journal says of everything that was written over. */
import { stepWords, wipeWords, type Plan } from '@/core/plan';
import type { WipeProof } from '@/core/proof';
import type { JournalStore } from './journal';
import { readJournal } from './journal-state';

const MOST_LISTED = 500;

export async function wipesIn({ steps }: Plan, journal: JournalStore): Promise<WipeProof[]> {
  if (!steps.some((s) => s.kind === 'wipe')) return [];
  const compared = new Map<number, { total: number; bytes: number; differing: number }>();
  const unwritten = new Map<number, Map<number, number>>();
  for await (const { record } of readJournal(journal)) {
    if (record.kind === 'compared') compared.set(record.step, record);
    if (record.kind !== 'unwritten') continue;
    const known = unwritten.get(record.step) ?? new Map<number, number>();
    unwritten.set(record.step, known.set(record.start, record.length));
  }
  return steps.flatMap((step, index): WipeProof[] => {
    if (step.kind !== 'wipe') return [];
    const { total = 0, bytes = 0, differing = 0 } = compared.get(index) ?? {};
    const failed = [...(unwritten.get(index) ?? [])].map(([start, length]) => ({ start, length }));
    return [
      {
        title: stepWords(step).title,
        how: wipeWords(step),
        bytes: total,
        compared: bytes,
        differing,
        unwritten: failed.slice(0, MOST_LISTED),
        unwrittenBytes: failed.reduce((sum, f) => sum + f.length, 0),
      },
    ];
  });
}
