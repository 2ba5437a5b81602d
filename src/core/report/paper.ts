/** A paper as plain data: what a sheet or a certificate says, in blocks; how it is set is another's business. */
import type { Drawing } from './drawing';

export type Block =
  | { readonly kind: 'facts'; readonly items: readonly (readonly [name: string, value: string])[] }
  | { readonly kind: 'picture'; readonly drawing: Drawing }
  | { readonly kind: 'text'; readonly title?: string; readonly text: string }
  | { readonly kind: 'list'; readonly title: string; readonly items: readonly ListItem[]; readonly numbered?: boolean }
  | {
      readonly kind: 'table';
      readonly title: string;
      readonly columns: readonly Column[];
      readonly rows: readonly Row[];
    }
  /** Room to write by hand: notes, and who signs what. */
  | { readonly kind: 'signature'; readonly notes: string; readonly fields: readonly string[] };

interface ListItem {
  readonly text: string;
  /** What is said beside it, quieter. */
  readonly detail?: string;
}

interface Column {
  readonly title: string;
  /** Its part of the width. */
  readonly share: number;
  /** Numbers stand at the end of their column. */
  readonly end?: boolean;
}

type Row = readonly string[];

export interface Paper {
  readonly title: string;
  readonly subtitle: string;
  /** Such a paper is good news, bad news, or neither. */
  readonly tone?: 'good' | 'bad';
  readonly blocks: readonly Block[];
  readonly footer: string;
}
