import type { Survey } from '@/core/inspect';
import { describe, expect, it } from 'vitest';
import { BuildQueue } from './build-queue';

/** Builds that write down when they begin and end, of a few pieces each. */
function recorder(queue: BuildQueue) {
  const told: string[] = [];
  const add = (id: string, fails = false): Promise<Survey> =>
    queue.add(id, async (between) => {
      told.push(`${id} begun`);
      for (let i = 0; i < 3; i++) await between();
      told.push(`${id} over`);
      if (fails) throw new Error('no');
      return {} as Survey;
    });
  return { told, add };
}

const soon = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 15));

describe('practice disks that are built behind', () => {
  it('come one after the other, and the one that is asked for next', async () => {
    const queue = new BuildQueue();
    const { told, add } = recorder(queue);
    const all = ['a', 'b', 'c'].map((id) => add(id));
    await queue.first('c');
    expect(told.slice(0, 2)).toEqual(['c begun', 'c over']);
    await Promise.all(all);
    expect(told.slice(2)).toEqual(['a begun', 'a over', 'b begun', 'b over']);
  });

  it('stand still while something else is held to be first, and go on then', async () => {
    const queue = new BuildQueue();
    const { told, add } = recorder(queue);
    const [one, two] = [queue.hold(), queue.hold()];
    const built = add('a');
    await soon();
    expect(told).toEqual([]);
    one();
    one();
    await soon();
    expect(told).toEqual([]);
    two();
    await built;
    expect(told).toEqual(['a begun', 'a over']);
  });

  it('go on behind one that fails, whose failure is told to whoever added it', async () => {
    const queue = new BuildQueue();
    const { told, add } = recorder(queue);
    const [bad, good] = [add('a', true), add('b')];
    await expect(bad).rejects.toThrow('no');
    await good;
    await queue.first('a');
    await queue.first('unknown');
    expect(told).toEqual(['a begun', 'a over', 'b begun', 'b over']);
  });
});
