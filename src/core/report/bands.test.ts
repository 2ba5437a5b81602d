import { HERE } from '@/core/place';
import { describe, expect, it } from 'vitest';
import { movingIn } from '.';

describe('what goes from volume to volume', () => {
  it('is one for a folder that goes in parts, as large as all of them, and its own for each other', () => {
    const from = { disk: HERE, number: 1 };
    const transfer = (folder: string, bytes: number, to = 'new') => ({ from, to, folder, facts: { bytes } });
    const all = [transfer('Films', 30), transfer('Music', 5), transfer('Films', 12), transfer('Films', 1, 'other')];
    expect(movingIn(all)).toEqual([
      { from, to: 'new', folder: 'Films', bytes: 42 },
      { from, to: 'new', folder: 'Music', bytes: 5 },
      { from, to: 'other', folder: 'Films', bytes: 1 },
    ]);
  });
});
