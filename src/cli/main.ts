/** The headless runner: `npm run -s ullager -- VERB …`. */
import { runCommand } from './command';

// npm runs scripts in the package's folder; paths are meant from where the person stands.
if (process.env.npm_lifecycle_event === 'ullager' && process.env.INIT_CWD) process.chdir(process.env.INIT_CWD);

process.exitCode = await runCommand(process.argv.slice(2));
