/** What is found on a volume, and what is stored of it. */

/** Times as the file system stores them: ISO 8601, with a zone only where one is stored. */
export interface FileTimes {
  readonly created?: string;
  readonly modified?: string;
  readonly accessed?: string;
}

/** What an entry is: a link leads to another place, a special one is nothing that can be read as a file. */
export type EntryKind = 'file' | 'folder' | 'link' | 'special';

/**
 * One entry found on a volume; `id` is the driver's own handle for {@link Volume.content}, and the same for all names of
 * one file.
 */
export interface FileEntry {
  /** From the root, with `/` between names and none in front. */
  readonly path: string;
  readonly kind: EntryKind;
  /** The name of the stream, for one that stands beside a file's content. Its path is the file's, `:`, and this. */
  readonly stream?: string;
  readonly size: number;
  readonly times: FileTimes;
  readonly attributes: readonly string[];
  /** Whose it is, who may do what, and what else stands beside it, in short: the same where all of that is. */
  readonly beside?: string;
  readonly id: number;
}

/** What a kind of file system stores of an entry beside its content, its times and its attributes. */
export type Kept =
  | 'streams'
  | 'hard links'
  /** Reparse points, which lead wherever they say. */
  | 'links'
  /** Symbolic links, which are a path. */
  | 'path links'
  | 'special files'
  | 'rights'
  | 'owners'
  | 'extended attributes'
  | 'change times'
  | 'compression'
  | 'encryption';

/** What else is stored of an entry, as far as its kind has it. */
export interface EntryDetails {
  /** When anything of it was changed, where that is told apart from its content. */
  readonly changed?: string;
  /** Who may do what with it: a self-relative security descriptor. */
  readonly security?: Uint8Array;
  /** Whose it is, and who may do what with it: the bits of a mode that are not its type. */
  readonly owner?: { readonly mode: number; readonly user: number; readonly group: number };
  /** Named values beside it, each with its whole name. */
  readonly extended?: readonly { readonly name: string; readonly value: Uint8Array }[];
  /** The path that a symbolic link is. */
  readonly path?: Uint8Array;
  /** What a special file is, as the type of a mode has it, and the numbers of its device, as they are stored. */
  readonly special?: { readonly type: number; readonly device: Uint8Array };
  /** Where it leads, as its kind stores that, and whether that is to a folder. */
  readonly reparse?: Uint8Array;
  readonly folder?: boolean;
  /** The same as a person would be shown it. */
  readonly target?: string;
}
