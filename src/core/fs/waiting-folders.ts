/** Folders that are yet to be gone into. Some are read before it is their turn, since to wait for each takes longest. */

const AHEAD = 16;

interface Waiting<Folder, Content> {
  readonly folder: Folder;
  reading?: Promise<Content>;
}

export class WaitingFolders<Folder, Content> {
  readonly #waiting: Waiting<Folder, Content>[] = [];

  constructor(private readonly read: (folder: Folder) => Promise<Content>) {}

  push(folder: Folder): void {
    this.#waiting.push({ folder });
  }

  /** The one that came last, with its content; nothing when there is none. @throws whatever reading it throws */
  async next(): Promise<{ readonly folder: Folder; readonly content: Content } | undefined> {
    const next = this.#waiting.pop();
    if (!next) return undefined;
    for (const soon of this.#waiting.slice(-AHEAD)) this.#begin(soon);
    return { folder: next.folder, content: await this.#begin(next) };
  }

  #begin(waiting: Waiting<Folder, Content>): Promise<Content> {
    if (!waiting.reading) {
      waiting.reading = this.read(waiting.folder);
      // It is told when it is its turn.
      waiting.reading.catch(() => undefined);
    }
    return waiting.reading;
  }
}
