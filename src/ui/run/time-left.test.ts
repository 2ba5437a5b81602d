import type { Plan, Step } from '@/core/plan';
import { describe, expect, it } from 'vitest';
import { timeLeft } from './time-left';

const step = (seconds: number): Step => ({
  kind: 'remove',
  name: '',
  at: { disk: 'here', start: 0, length: 0 },
  loses: { files: 0, bytes: 0 },
  cost: { reads: 0, carries: 0, writes: 0, seconds },
});
const plan = { steps: [step(10), step(20), step(30)] } as unknown as Plan;
const run = { plan, step: 0, began: 0, done: 0, total: 100, took: [], stepStartedAt: 0 };

describe('the time left', () => {
  it('is the estimate before anything is measured', () => {
    expect(timeLeft(run, 0)).toBe(60);
    expect(timeLeft({ ...run, done: 50 }, 0)).toBe(55);
  });

  it('is corrected by how long finished steps took, also while the next one begins', () => {
    expect(timeLeft({ ...run, done: 100, took: [20] }, 20_000)).toBe(100);
    expect(timeLeft({ ...run, done: 100, took: [5] }, 5000)).toBe(25);
    expect(timeLeft({ ...run, step: 1, took: [20], stepStartedAt: 20_000 }, 20_000)).toBe(100);
  });

  it('follows the step that is going on once that has gone on for a while', () => {
    expect(timeLeft({ ...run, step: 1, done: 50, took: [10], stepStartedAt: 10_000 }, 50_000)).toBe(40 + 30 * 2.5);
  });

  it('counts from where a run was taken up again', () => {
    expect(timeLeft({ ...run, step: 1, began: 1, done: 100, took: [40] }, 40_000)).toBe(60);
  });

  it('is nothing at the end', () => {
    expect(timeLeft({ ...run, step: 2, done: 9, total: 9, took: [1, 1, 1] }, 3000)).toBe(0);
  });
});
