/** What the runner can be told to do: one command line, from its words to how it ends. */
import { Command, CommanderError } from 'commander';
import { EXIT, fail } from './output';

type Verb<P, O> = (path: P, options: O) => Promise<number>;
/** Makes of a verb that is yet to be loaded what a command does. */
type Acting = <P, O>(load: () => Promise<Verb<P, O>>) => (path: P, options: O) => Promise<void>;

const look = () => import('./verbs/look');
const plans = () => import('./verbs/plan');
const health = () => import('./verbs/health');
const papers = () => import('./verbs/papers');
const tables = () => import('./verbs/table');
const images = () => import('./verbs/make');

const reading = (command: Command): Command =>
  command
    .option('--json', 'print one document')
    .option('--sector-size <bytes>', '512 or 4096; found out when left out')
    .option('--inside <name>', 'which file of an archive the image is, where it holds several');

const collect = (value: string, before: string[] = []): string[] => [...before, value];
/** Other disks that a target names. */
const withDisks = (command: Command): Command =>
  command.option('--with <name=file>', 'another disk, by the name the target has for it', collect);

/** What is planned. */
const planning = (command: Command): Command =>
  withDisks(reading(command))
    .option('--target <json>', 'the planned layout')
    .option('--job <json>', 'a job, instead of a target')
    .option('--scratch <file>', 'a file that is not there yet, for volumes that can be set aside nowhere on the disk')
    .option('--scan <json>', 'what `scan --json` found on the disk')
    .option('--override', 'go on with volumes whose check found errors');
/** Where what is written goes, and how a run is taken up or back. */
const writing = (command: Command): Command =>
  command
    .option('--out <file>', 'where the result goes')
    .option('--in-place', 'write the image itself')
    .option('--resume', 'go on with an interrupted run')
    .option('--rewind', 'put everything back as it was')
    .option('--no-rewind', 'with --in-place: keep nothing to rewind with')
    .option('--journal <folder>', 'with --in-place: where the journal and the way back go')
    .option(
      '--i-mean <name>',
      'the model or serial number of the device that is written; of another that is written too, --i-mean NAME=…, as --with calls it',
      collect,
    )
    .option('--papers <folder>', 'where the certificate, the manifests and the log go');

/** What only looks. */
function looking(program: Command, verb: Acting): void {
  reading(program.command('inspect <image>'))
    .description('disk, table, volumes, unallocated')
    .action(verb(async () => (await look()).inspect));
  reading(program.command('files <image>'))
    .description('path, size and SHA-256 of every file')
    .option('--volume <number>', 'which volume', '1')
    .action(verb(async () => (await look()).files));
  reading(program.command('check <image>'))
    .description('findings')
    .option('--volume <number>', 'one volume only')
    .option('--mend', 'tell the plan that mends what can be mended')
    .action(verb(async () => (await look()).check));
  reading(program.command('find <image>'))
    .description('volumes that no table names')
    .action(verb(async () => (await health()).find));
  reading(program.command('scan <image>'))
    .description('reads every sector, and tells what lies on those that fail')
    .option('--volume <number>', 'one volume only')
    .action(verb(async () => (await health()).scan));
  reading(program.command('speed <image>'))
    .description('how fast it is read')
    .option('--volume <number>', 'one volume only')
    .action(verb(async () => (await health()).speed));
  planning(program.command('plan <image>'))
    .description('the work order, or the refusal and why')
    .option('--save-job <json>', 'saves what is planned as a job')
    .action(verb(async () => (await plans()).plan));
}

/** What writes a disk, and takes that back. */
function running(program: Command, verb: Acting): void {
  writing(planning(program.command('run <image>')))
    .description('runs, proves, prints the certificate')
    .option('--mend', 'mends what can be mended, instead of a target')
    .action(verb(async () => (await import('./verbs/run')).run));
  program
    .command('rewinds <image>')
    .description('runs in place that can be taken back, the newest first, and what each takes to keep')
    .option('--journal <folder>', 'where the run kept its way back, if not beside the image')
    .option('--drop <number>', 'drops that one, and older ones with it')
    .option('--json', 'print one document')
    .action(verb(async () => (await import('./verbs/rewinds')).rewinds));
}

/** What leaves as a paper. */
function onPaper(program: Command, verb: Acting): void {
  planning(program.command('sheet <image>'))
    .description('the job sheet of a plan')
    .requiredOption('--out <file>', 'a file that ends in .html or .pdf')
    .action(verb(async () => (await papers()).sheet));
  planning(program.command('picture <image>'))
    .description('the disk as a picture, with what is planned where a target is named')
    .requiredOption('--out <file>', 'an SVG file')
    .action(verb(async () => (await papers()).picture));
  reading(program.command('list <images...>'))
    .description('the volumes of disks as CSV')
    .requiredOption('--out <file>', 'a CSV file')
    .action(verb(async () => (await papers()).list));
}

/** The table by itself. */
function onTables(program: Command, verb: Acting): void {
  const table = program.command('table').description('the table of a disk by itself');
  reading(table.command('save <image>'))
    .description('saves a copy of the table')
    .requiredOption('--out <copy>', 'where the copy goes')
    .action(verb(async () => (await tables()).saveTable));
  reading(table.command('show <image>'))
    .description('shows the table, and what putting a copy back would change')
    .option('--copy <copy>', 'a copy of a table')
    .action(verb(async () => (await tables()).showTable));
  writing(reading(table.command('restore <image>')))
    .description('puts a copy of the table back')
    .option('--copy <copy>', 'a copy of a table')
    .action(verb(async () => (await tables()).restoreTable));
}

/** What makes images. */
function onImages(program: Command, verb: Acting): void {
  program
    .command('convert <image>')
    .description('an image in another form: raw, gz, zip, qcow2, vhd or vhdx, by the name of the file')
    .requiredOption('--out <file>', 'the image')
    .option('--parts <size>', 'raw, in parts of that size; the first is named, and ends in .001')
    .option('--json', 'print one document')
    .option('--inside <name>', 'which file of an archive the image is, where it holds several')
    .action(verb(async () => (await images()).convert));
  program
    .command('make <recipe>')
    .description('a disk image from a recipe')
    .requiredOption('--out <file>', 'the image')
    .option('--json', 'print one document')
    .action(verb(async () => (await images()).make));
}

/** Runs a command line, which begins behind the program's name. Prints to this process's streams; returns how it ends. */
export async function runCommand(args: readonly string[]): Promise<number> {
  let exitCode: number = EXIT.done;
  const program = new Command('ullager')
    .description('Looks at disk images, plans and carries out their division, and proves what was kept.')
    .exitOverride()
    .configureOutput({ outputError: (text, write) => write(text.replace(/^error: /, '')) });
  // A verb is loaded with what it needs when it is called.
  const verb: Acting = (load) => async (path, options) => {
    const act = await load();
    exitCode = await act(path, options).catch(fail);
  };
  for (const group of [looking, running, onPaper, onTables, onImages]) group(program, verb);
  try {
    await program.parseAsync(args, { from: 'user' });
  } catch (error) {
    const help = error instanceof CommanderError && error.exitCode === 0;
    return help ? EXIT.done : EXIT.usage;
  }
  return exitCode;
}
