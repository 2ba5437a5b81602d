import type { Plan, Step } from '@/core/plan';
import { describe, expect, it } from 'vitest';
import { timeLeft } from './time-left';

const step = (seconds: number): Step => ({
  kind: 'remove',
  name: '',
  at: { start: 0, length: 0 },
  loses: { files: 0, bytes: 0 },
  cost: { reads: 0, carries: 0, writes: 0, seconds },
});
const plan = { steps: [step(10), step(20), step(30)] } as unknown as Plan;

describe('the time left', () => {
  it('is the estimate before anything is finished', () => {
    expect(timeLeft({ plan, step: 0, done: 0, total: 100, took: [] })).toBe(60);
    expect(timeLeft({ plan, step: 0, done: 50, total: 100, took: [] })).toBe(55);
  });

  it('is corrected by how long finished steps took', () => {
    expect(timeLeft({ plan, step: 0, done: 100, total: 100, took: [20] })).toBe(100);
    expect(timeLeft({ plan, step: 0, done: 100, total: 100, took: [5] })).toBe(25);
  });

  it('is nothing at the end', () => {
    expect(timeLeft({ plan, step: 2, done: 9, total: 9, took: [1, 1, 1] })).toBe(0);
  });
});
