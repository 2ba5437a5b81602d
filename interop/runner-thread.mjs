// Runs command lines of the runner one after the other, and answers with what each printed.
import { pathToFileURL } from 'node:url';
import { runAsWorker } from 'synckit';

runAsWorker(async (command, args) => {
  const { runCommand } = await import(pathToFileURL(command).href);
  const said = { out: '', err: '' };
  const own = [process.stdout.write, process.stderr.write];
  process.stdout.write = (text) => ((said.out += text), true);
  process.stderr.write = (text) => ((said.err += text), true);
  try {
    return { code: await runCommand(args), ...said };
  } finally {
    [process.stdout.write, process.stderr.write] = own;
  }
});
