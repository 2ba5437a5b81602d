import { describe, expect, it } from 'vitest';
import type { Step } from '../steps';
import { expectedSeconds, paceOf, secondsLeft, timeShare, USUAL_PACE, type Course } from './pace';

const place = { disk: 'here', start: 0, length: 0 };
const cost = (reads: number, carries: number, seconds: number) => ({ reads, carries, writes: 0, seconds });
const check = (number: number, bytes: number, seconds = 10): Step =>
  ({
    kind: 'check',
    name: '',
    number,
    by: 'files',
    changes: true,
    at: place,
    files: 0,
    cost: cost(bytes, 0, seconds),
  }) as Step;
const prove = (number: number, bytes: number, seconds = 10): Step =>
  ({ kind: 'prove', name: '', number, by: 'files', at: place, files: 0, cost: cost(bytes, 0, seconds) }) as Step;
const shrink = (bytes: number, seconds = 10): Step =>
  ({ kind: 'shrink', name: '', at: place, to: 1, cost: cost(0, bytes, seconds) }) as Step;

const course = (steps: Step[], more: Partial<Course> = {}): Course => ({
  plan: { steps },
  step: 0,
  began: 0,
  done: 0,
  total: 100,
  took: [],
  stepStartedAt: 0,
  ground: 'bytes',
  ...more,
});

describe('the time left of a run', () => {
  const paced = { ground: 'medium' } as const;

  it('is what the medium takes where that sets the pace, and no step is left out', () => {
    const steps = [check(1, 1e9, 10), shrink(1e9, 20), prove(1, 1e9, 30)];
    expect(secondsLeft(course(steps, paced), USUAL_PACE, 0)).toBeCloseTo(60);
    expect(expectedSeconds({ steps }, USUAL_PACE, 'medium')).toBeCloseTo(60);
    expect(secondsLeft(course(steps, { ...paced, done: 50 }), USUAL_PACE, 5000)).toBeCloseTo(55);
  });

  it('is reckoned by what is read, not by the number of steps', () => {
    const steps = [check(1, 8e9), shrink(0), check(2, 1e6)];
    expect(expectedSeconds({ steps }, USUAL_PACE, 'bytes')).toBeGreaterThan(30);
    // What is made up is compared by what it is made of.
    expect(expectedSeconds({ steps }, USUAL_PACE, 'references')).toBeLessThan(1);
    const half = course(steps, { done: 50, stepStartedAt: 0 });
    expect(timeShare(half, USUAL_PACE, 18_000)).toBeGreaterThan(0.45);
    expect(timeShare(half, USUAL_PACE, 18_000)).toBeLessThan(0.52);
  });

  it('takes the proof of a volume to go as its check went', () => {
    const steps = [check(1, 1e9), prove(1, 1e9)];
    expect(secondsLeft(course(steps, { step: 1, took: [40], stepStartedAt: 40_000 }), USUAL_PACE, 40_000)).toBe(40);
  });

  it('is corrected by what the like took, and by nothing else', () => {
    const steps = [check(1, 1.6e9), shrink(1e9), check(2, 1.6e9)];
    const slow = course(steps, { step: 1, took: [20], stepStartedAt: 20_000 });
    const { reading, carrying } = paceOf(slow, USUAL_PACE).bytes;
    expect(reading).toBeGreaterThan(1.8);
    expect(carrying).toBe(1);
    expect(secondsLeft(slow, USUAL_PACE, 20_000)).toBeGreaterThan(18);
  });

  it('follows the step that goes on once that has gone on for a while', () => {
    const steps = [check(1, 1e9), check(2, 0)];
    const left = (done: number): number => secondsLeft(course(steps, { done }), USUAL_PACE, 40_000);
    expect(left(50)).toBeGreaterThan(25);
    expect(left(50)).toBeLessThan(41);
    expect(left(90)).toBeGreaterThan(3.5);
    expect(left(90)).toBeLessThan(4.6);
  });

  it('learns what later runs begin with, and starts with what earlier ones found', () => {
    const steps = [check(1, 16e9), prove(1, 16e9)];
    const learned = paceOf(course(steps, { step: 1, took: [50, 50] }), USUAL_PACE);
    expect(expectedSeconds({ steps }, learned, 'bytes')).toBeGreaterThan(95);
    expect(expectedSeconds({ steps }, learned, 'bytes')).toBeLessThan(105);
    expect(learned.references).toEqual(USUAL_PACE.references);
  });

  it('is nothing at the end', () => {
    const over = course([check(1, 1e9)], { step: 0, done: 100, took: [4] });
    expect(secondsLeft(over, USUAL_PACE, 4000)).toBe(0);
    expect(timeShare(over, USUAL_PACE, 4000)).toBe(1);
  });
});
