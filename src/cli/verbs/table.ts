/** The table of a disk by itself: saved, compared with a copy, put back. */
import { compareTables, copyFault, parseTableCopy, tableCopy } from '@/core/job';
import { formatSize } from '@/core/size';
import { assertApart, assertNew, makeText, systemFiles } from '../files';
import { readJson } from '../open-image';
import { EXIT, print, UsageError } from '../output';
import type { RunOptions } from '../runs';
import { looking, type LookOptions } from './look';
import { run } from './run';

interface TableOptions extends LookOptions {
  readonly out?: string;
  readonly copy?: string;
}

/** Saves a copy of the table. */
export async function saveTable(path: string, options: TableOptions, files = systemFiles): Promise<number> {
  const out = options.out!;
  await assertApart(files, out, path);
  await assertNew(files, out);
  return looking(path, options, files, async ({ session }) => {
    const copy = tableCopy(session.survey);
    await makeText(files, out, `${JSON.stringify(copy, null, 2)}\n`);
    print(copy, [`The table of ${path} is in ${out}.`], options.json);
    return EXIT.done;
  });
}

/** Shows the table, and what putting a copy back would change. */
export async function showTable(path: string, options: TableOptions, files = systemFiles): Promise<number> {
  const copy = options.copy === undefined ? undefined : parseTableCopy(await readJson(files, options.copy));
  return looking(path, { ...options, tableless: copy !== undefined }, files, async ({ session }) => {
    const { survey } = session;
    if (!copy) {
      const shown = tableCopy(survey);
      const words = survey.volumes.map((v) => `${v.number}  at ${formatSize(v.start)}  ${formatSize(v.length)}`);
      print(shown, [`table: ${survey.table}`, ...words], options.json);
      return EXIT.done;
    }
    const differences = compareTables(survey, copy);
    const fault = copyFault(survey, copy) ?? null;
    const words = [...differences.map((d) => d.message), ...(fault ? [fault] : [])];
    print(
      { version: 1, differences, fault },
      words.length > 0 ? words : ['The copy and the disk say the same.'],
      options.json,
    );
    return differences.length > 0 || fault ? EXIT.no : EXIT.done;
  });
}

/** Puts a copy back: one step that writes the table, and touches no volume’s content. */
export async function restoreTable(path: string, options: RunOptions, files = systemFiles): Promise<number> {
  if (options.copy === undefined && !options.resume && options.rewind !== true)
    throw new UsageError('Say which copy: --copy COPY.');
  return run(path, options, files);
}
