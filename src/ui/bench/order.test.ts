import type { BenchDisk, JobState } from '@/state';
import { describe, expect, it } from 'vitest';
import { inOrder, isFound } from './order';

const disk = (name: string, size: number, free: number): BenchDisk =>
  ({
    stored: { id: name, name },
    status: 'open',
    survey: { size, volumes: [], unallocated: [{ start: 0, end: free }] },
  }) as unknown as BenchDisk;
const disks = [disk('Till', 100, 60), disk('Archive', 300, 10), disk('Fern card', 200, 30)];
const jobs = {
  Archive: { now: { volumes: [{ label: 'Sheets', letter: 'D' }] } },
} as unknown as Record<string, JobState>;
const names = (found: readonly BenchDisk[]): string[] => found.map((d) => d.stored.name);

describe('the disks of the bench', () => {
  it('come as they came, by name, by size and by what is free', () => {
    expect(names(inOrder(disks, jobs, 'added', ''))).toEqual(['Till', 'Archive', 'Fern card']);
    expect(names(inOrder(disks, jobs, 'name', ''))).toEqual(['Archive', 'Fern card', 'Till']);
    expect(names(inOrder(disks, jobs, 'size', ''))).toEqual(['Archive', 'Fern card', 'Till']);
    expect(names(inOrder(disks, jobs, 'free', ''))).toEqual(['Till', 'Fern card', 'Archive']);
  });

  it('are found by name, label and letter, by every word that is typed', () => {
    expect(names(inOrder(disks, jobs, 'added', 'card fern'))).toEqual(['Fern card']);
    expect(names(inOrder(disks, jobs, 'added', 'sheets'))).toEqual(['Archive']);
    expect(names(inOrder(disks, jobs, 'added', 'd:'))).toEqual(['Archive']);
    expect(inOrder(disks, jobs, 'added', 'card till')).toEqual([]);
    expect(isFound('', ['anything'])).toBe(true);
  });
});
