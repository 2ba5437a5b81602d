import type { Survey } from '@/core/inspect';
import { describe, expect, it } from 'vitest';
import { BuildQueue } from './build-queue';
import type { BuildWhen } from './protocol';

/** Builds that write down when they begin and end, of a few pieces each. */
function recorder(queue: BuildQueue) {
  const told: string[] = [];
  const add = (id: string, { fails = false, when = 'behind' as BuildWhen } = {}): Promise<Survey> =>
    queue.add(
      id,
      async (between) => {
        told.push(`${id} begun`);
        for (let i = 0; i < 3; i++) await between();
        told.push(`${id} over`);
        if (fails) throw new Error('no');
        return {} as Survey;
      },
      when,
    );
  return { told, add };
}

const LONG = 60_000;
const soon = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 15));

describe('practice disks that are built behind', () => {
  it('come one after the other, and one that is asked for at once', async () => {
    const queue = new BuildQueue(0);
    const { told, add } = recorder(queue);
    const all = ['a', 'b', 'c'].map((id) => add(id));
    await queue.first('c');
    expect(told.slice(0, 2)).toEqual(['c begun', 'c over']);
    await Promise.all(all);
    expect(told.slice(2)).toEqual(['a begun', 'a over', 'b begun', 'b over']);
  });

  it('stand still while something else is held to be first, and go on then', async () => {
    const queue = new BuildQueue(0);
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

  it('wait until nothing was asked for a while', async () => {
    const queue = new BuildQueue(40);
    const { told, add } = recorder(queue);
    const built = add('a');
    for (let i = 0; i < 4; i++) {
      await soon();
      await queue.first('unknown');
    }
    expect(told).toEqual([]);
    await built;
    expect(told).toEqual(['a begun', 'a over']);
  });

  it('are not built by themselves where they are only wanted once they are asked for', async () => {
    const queue = new BuildQueue(0);
    const { told, add } = recorder(queue);
    void add('a', { when: 'asked' });
    await add('b');
    await soon();
    expect(told).toEqual(['b begun', 'b over']);
    await queue.first('a');
    expect(told.slice(2)).toEqual(['a begun', 'a over']);
  });

  it('are built at once when they are asked for, whatever is held, and those that somebody waits for before them', async () => {
    const queue = new BuildQueue(LONG);
    const { told, add } = recorder(queue);
    queue.hold();
    void add('a');
    await soon();
    expect(told).toEqual([]);
    // It has had its turn, and stands: it is not behind any more, and neither is one that still waits.
    void add('b');
    await queue.first('b');
    expect(told).toEqual(['b begun', 'b over']);
    await queue.first('a');
    expect(told.slice(2)).toEqual(['a begun', 'a over']);
  });

  it('give way to one that is added to be waited for', async () => {
    const queue = new BuildQueue(LONG);
    const { told, add } = recorder(queue);
    void add('a');
    await soon();
    queue.hold();
    await add('b', { when: 'now' });
    expect(told).toEqual(['b begun', 'b over']);
    await add('c', { when: 'now' });
    await queue.first('a');
    expect(told.slice(2)).toEqual(['c begun', 'c over', 'a begun', 'a over']);
  });

  it('go on behind one that fails, whose failure is told to whoever added it', async () => {
    const queue = new BuildQueue(0);
    const { told, add } = recorder(queue);
    const [bad, good] = [add('a', { fails: true }), add('b')];
    await expect(bad).rejects.toThrow('no');
    await good;
    await queue.first('a');
    await queue.first('unknown');
    expect(told).toEqual(['a begun', 'a over', 'b begun', 'b over']);
  });
});
