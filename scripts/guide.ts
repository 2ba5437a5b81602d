/** Writes docs/guide.md from what the page shows. */
import { writeFileSync } from 'node:fs';
import { guideText, TASKS } from '@/ui/guide';

writeFileSync('docs/guide.md', guideText(TASKS));
