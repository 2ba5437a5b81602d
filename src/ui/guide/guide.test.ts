import { existsSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { guideText, TASKS } from '.';

describe('the guide', () => {
  it('in docs is the one that the page shows; `npm run guide` makes it anew', () => {
    expect(readFileSync('docs/guide.md', 'utf8')).toBe(guideText(TASKS));
  });

  it('shows pictures that are there', () => {
    const missing = TASKS.flatMap(({ picture }) =>
      picture && !existsSync(`docs/screenshots/${picture}.png`) ? [picture] : [],
    );
    expect(missing).toEqual([]);
  });
});
