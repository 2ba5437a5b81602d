/** That the rules of the house bite: each on a line written for it, at a place where it holds. */
import { ESLint } from 'eslint';
import { expect, it } from 'vitest';

const eslint = new ESLint();

async function broken(filePath: string, code: string): Promise<(string | null)[]> {
  const [result] = await eslint.lintText(code, { filePath });
  return result!.messages.filter((m) => m.severity === 2).map((m) => m.ruleId);
}

const IMPORTS = 'no-restricted-imports';

it.each([
  ['a room that uses one behind it', 'src/core/device/a.ts', "export { makeableKinds } from '@/core/fs';", IMPORTS],
  ['a room that reaches past a face', 'src/core/plan/a.ts', "export { fatDriver } from '@/core/fs/fat';", IMPORTS],
  ['a room reached by a relative path', 'src/core/plan/a.ts', "export { crc32 } from '../bytes';", IMPORTS],
  ['a room that is not in the order', 'src/core/new/a.ts', "export { crc32 } from '@/core/bytes';", IMPORTS],
  ['Node in a room that is not', 'src/core/new/a.ts', 'export const a = process.cwd();', 'no-restricted-globals'],
  ['a face passed by, by a relative path', 'src/core/run/a.ts', "export { carry } from './steps/carry';", IMPORTS],
  ['a face passed by in the interface', 'src/ui/look/a.ts', "export { bands } from '../columns/bands';", IMPORTS],
  ['a face passed by in the runner', 'src/cli/a.ts', "export { holding } from './files/locks';", IMPORTS],
  ['a bare Node module in the core', 'src/core/run/a.ts', "export { readFileSync } from 'fs';", IMPORTS],
  ['a Node module in the core', 'src/core/run/a.ts', "export { readFileSync } from 'node:fs';", IMPORTS],
  ['React in the core', 'src/core/plan/a.ts', "export { useState } from 'react';", IMPORTS],
  ['a Node global in the core', 'src/core/run/a.ts', 'export const a = process.cwd();', 'no-restricted-globals'],
  ['a browser global in the core', 'src/core/run/a.ts', 'export const a = indexedDB;', 'no-restricted-globals'],
  [
    'a function of the core that is too long',
    'src/core/run/a.ts',
    `export function a(): void {${'\n'.repeat(60)}}`,
    'max-lines-per-function',
  ],
  ['a file that is too long', 'src/cli/a.ts', `export const a = 1;${'\n'.repeat(301)}export const b = 2;`, 'max-lines'],
  ['the network in the core', 'src/core/run/a.ts', "export const a = fetch('/');", 'no-restricted-globals'],
  [
    'the engine that uses state',
    'src/engine/runs.ts',
    "export { useBench } from '@/state';",
    'boundaries/element-types',
  ],
  ['the core that uses the engine', 'src/core/run/run-plan.ts', "export { engine } from '@/engine';", IMPORTS],
])('%s is refused', async (_what, path, code, rule) => {
  expect(await broken(path, code)).toContain(rule);
});

it('what keeps to them is not', async () => {
  const code = "export { crc32 } from '@/core/bytes';\nexport { performStep } from './steps';\n";
  expect(await broken('src/core/run/a.ts', code)).toEqual([]);
});
