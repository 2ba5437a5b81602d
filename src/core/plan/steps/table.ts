/** Writes the partition table. */
import type { TableKind } from '@/core/layout';
import { diskTableSchema, type DiskTable } from '@/core/table';
import * as z from 'zod';
import { baseShape, byteCount, type StepBase, type StepKind } from './step-kind';

export interface TableStep extends StepBase {
  readonly kind: 'table';
  readonly table: DiskTable;
  /** The kind there was. */
  readonly from: TableKind;
  readonly volumes: number;
  /** Findings that writing the table puts right. */
  readonly mends: readonly string[];
}

const TABLE_WORDS = { none: 'no table', mbr: 'master boot record', gpt: 'GUID table' } as const;

export const table: StepKind<TableStep> = {
  schema: z.strictObject({
    kind: z.literal('table'),
    ...baseShape,
    table: diskTableSchema,
    from: z.enum(['none', 'mbr', 'gpt']),
    volumes: byteCount,
    mends: z.array(z.string()),
  }),
  words: ({ table, from, volumes, mends }) => {
    const kind = TABLE_WORDS[table.kind];
    const count = `${volumes} volume${volumes === 1 ? '' : 's'}`;
    const mended = mends.length > 0 ? `, puts right: ${mends.join(' ')}` : '';
    if (from === table.kind) {
      const logical =
        table.kind === 'mbr' && table.logicals.length > 0 ? `, ${table.logicals.length} of them logical` : '';
      const copies = table.kind === 'gpt' ? ', both copies' : '';
      return { title: 'Write the partition table', detail: `${count}${logical}${copies}${mended}` };
    }
    const title = from === 'none' ? `Write a new ${kind}` : `Convert the ${TABLE_WORDS[from]} to a ${kind}`;
    return { title, detail: `${count}, no file is touched` };
  },
  reason: () => 'Written when all that is kept is in its place, in one go.',
  claims: (_, owners) => owners,
  touches: () => [],
  table: ({ table }) => table,
};
