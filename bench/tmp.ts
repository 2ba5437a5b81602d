import { runHonest } from './honest';
await runHonest('/tmp/hb', (l) => console.log(l));
