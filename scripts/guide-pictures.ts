/** Puts the pictures that the guide shows where the page finds them. */
import { TASKS } from '@/ui/guide';
import { cpSync, mkdirSync, rmSync } from 'node:fs';

rmSync('public/guide', { recursive: true, force: true });
mkdirSync('public/guide', { recursive: true });
for (const name of new Set(TASKS.flatMap((task) => task.picture ?? [])))
  cpSync(`docs/screenshots/${name}.png`, `public/guide/${name}.png`);
