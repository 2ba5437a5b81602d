import { GIB, MIB } from '@/core/size';
import { describe, expect, it } from 'vitest';
import { snapLength, snapStart } from './snap';

const data = { role: 'data' } as const;
const fine = { bytesPerPixel: 20 * MIB, least: 3 * GIB + 7 * MIB, most: 14 * GIB };
const coarse = { bytesPerPixel: GIB, least: 90 * GIB, most: 400 * GIB };

describe('an edge that is dragged', () => {
  it('comes to rest at a whole GiB, the floor, the neighbour and the headroom where they are near', () => {
    expect(snapLength(6 * GIB + 90 * MIB, data, fine)).toBe(6 * GIB);
    expect(snapLength(3 * GIB + 60 * MIB, data, fine)).toBe(3 * GIB + 7 * MIB);
    expect(snapLength(14 * GIB - 50 * MIB, data, fine)).toBe(14 * GIB);
    expect(snapLength(5 * GIB + 530 * MIB, data, { ...fine, used: 5 * GIB })).toBe(Math.ceil((5 * GIB) / 0.9));
  });

  it('is on the grid of the scale elsewhere', () => {
    const at = snapLength(6 * GIB + 400 * MIB, data, fine);
    expect(at % (32 * MIB)).toBe(0);
    expect(Math.abs(at - 6 * GIB - 400 * MIB)).toBeLessThan(32 * MIB);
    // GiB are too close to each other here to be told apart.
    expect(snapLength(120.3 * GIB, data, coarse)).toBe(120 * GIB);
  });

  it('is not drawn to what it can’t be', () => {
    expect(snapLength(2 * GIB, data, fine)).toBeLessThan(3 * GIB);
    expect(snapStart(93 * GIB, coarse)).toBe(90 * GIB);
    expect(snapStart(200 * GIB, coarse)).toBe(200 * GIB);
  });
});
