/**
 * The closed list of ways the core says no.
 *
 * Each code carries its own facts; its sentence comes from one table that stops compiling when a code has none.
 * Codes are stable, sentences are free to improve and are never parsed. Our own mistakes (a wrong argument) are
 * TypeError and RangeError instead, have no code and are not for catching.
 */
export interface ErrorFacts {
  'size.unreadable': { text: string };
  'size.unit': { text: string; unit: string };
  'size.negative': { text: string };
  'device.read-failed': { offset: number; length: number };
  'device.write-failed': { offset: number; length: number };
  'device.power-cut': { offset: number };
  'device.too-small': { size: number; needed: number };
  'image.empty': { name: string };
  'image.too-short': { name: string; size: number };
  'image.several': { name: string; names: readonly string[] };
  'image.not-a-disk': { name: string; size: number };
  'image.container': { name: string; reason: string };
  'image.too-large': { name: string; most: number };
  'image.no-room': { name: string };
  'image.truncated': { name: string; expected: number; actual: number };
  'image.changed': { name: string };
  'image.not-as-saved': { name: string; offset: number };
  'image.parts': { reason: string };
  'image.cancelled': { name: string };
  'table.damaged': { reason: string; sector: number };
  'table.full': { entries: number };
  'table.too-far': { startLba: number; lengthSectors: number };
  'fs.unknown': { offset: number };
  'fs.damaged': { fileSystem: string; reason: string; offset: number };
  'fs.ability': { fileSystem: string; ability: string };
  'fs.below-floor': { wanted: number; floor: number; reason: string };
  'fs.above-ceiling': { wanted: number; ceiling: number; reason: string };
  'fs.cluster-size': { fileSystem: string; clusterSize: number; size: number; reason: string };
  'fs.label': { label: string; reason: string };
  'fs.name': { name: string; reason: string };
  'fs.full': { needed: number; free: number };
  'fs.exists': { path: string };
  'fs.not-found': { path: string };
  'fs.record-full': { record: number };
  'fs.unsound': { fileSystem: string; findings: number; first: string };
  'layout.refused': { reason: string };
  /** `why` tells refusals apart; its sentence is the reason. */
  'plan.refused': { why?: string; reason: string };
  'plan.stuck': { reason: string; needed: number };
  'target.invalid': { reason: string };
  'scan.invalid': { reason: string };
  'recipe.invalid': { reason: string };
  'document.invalid': { what: string; reason: string };
  'table.none': Record<string, never>;
  'journal.corrupt': { record: number; reason: string };
  'journal.foreign': { reason: string };
  'journal.version': { version: number };
  'run.stopped': { step: number };
  'run.unfinished': { reason: string };
  'run.nothing-to-resume': { reason: string };
  'run.nothing-to-rewind': { reason: string };
  'run.changed': { reason: string };
  'run.rewinding': Record<string, never>;
  'run.copying': Record<string, never>;
  'run.elsewhere': { name: string; reason: string };
  'run.source': { name: string; reason: string };
  'run.differs': { name: string; path: string; what: string; count: number };
  'run.holds': { name: string; reason: string };
  'run.going-on': { name: string };
  'run.meanwhile': { name: string };
  'bench.held': Record<string, never>;
  'storage.full': { wanted: number };
  'storage.lost': { what: string };
  'file.missing': { name: string };
  'file.exists': { name: string };
  'file.same': { name: string; other: string };
  'file.busy': { name: string; reason: string };
  'file.full': { name: string; wanted: number };
  'file.failed': { name: string; act: string; reason: string };
}

/** A stable code of the closed list. */
export type ErrorCode = keyof ErrorFacts;

type Sentences = { [C in ErrorCode]: (facts: ErrorFacts[C]) => string };

const SENTENCES: Sentences = {
  'size.unreadable': (f) => `“${f.text}” is not a size. Write one like 60 GB, 61 440 MiB, 50 %, half or rest.`,
  'size.unit': (f) => `“${f.unit}” is not a unit of size. Use B, kB, MB, GB, TB or KiB, MiB, GiB, TiB.`,
  'size.negative': (f) => `“${f.text}” comes to less than nothing.`,
  'device.read-failed': (f) => `The disk could not be read at byte ${f.offset} (${f.length} bytes).`,
  'device.write-failed': (f) => `The disk could not be written at byte ${f.offset} (${f.length} bytes).`,
  'device.power-cut': (f) => `The power went while byte ${f.offset} was written.`,
  'device.too-small': (f) => `This needs ${f.needed} bytes and there are ${f.size}.`,
  'image.empty': (f) => `${f.name} is empty.`,
  'image.too-short': (f) =>
    `${f.name} has ${f.size} byte${f.size === 1 ? '' : 's'}, which is less than one sector, so it is not a disk image.`,
  'image.several': (f) => `${f.name} holds several disk images: ${f.names.join(', ')}. Say which one.`,
  'image.not-a-disk': (f) =>
    `${f.name} is not a disk image: it holds neither a partition table nor a file system that is known here.`,
  'image.container': (f) => `${f.name} can't be opened: ${f.reason}.`,
  'image.too-large': (f) => `${f.name} unpacks to more than ${f.most} bytes that are not zeros. Unpack it first.`,
  'image.no-room': (f) => `There is no room left to unpack ${f.name}. Make some, or unpack it elsewhere first.`,
  'image.truncated': (f) =>
    `${f.name} is cut short: its table describes ${f.expected} bytes and the file has ${f.actual}.`,
  'image.cancelled': (f) => `The opening of ${f.name} was called off.`,
  'image.parts': (f) => `The image can’t be cut into such parts: ${f.reason}.`,
  'image.not-as-saved': (f) =>
    `${f.name} was read back, and is not what was to be saved, from byte ${f.offset} on. Save it again, on another disk.`,
  'image.changed': (f) => `${f.name} is not the file this job was begun with: its size, date or content differs.`,
  'table.damaged': (f) => `The partition table is damaged: ${f.reason} (sector ${f.sector}).`,
  'table.full': (f) => `The table holds ${f.entries} volumes and has no room for another.`,
  'table.too-far': (f) =>
    `A volume from sector ${f.startLba}, ${f.lengthSectors} sectors long, lies beyond what the table can address.`,
  'fs.unknown': (f) => `No file system known here begins at byte ${f.offset}.`,
  'fs.damaged': (f) => `The ${f.fileSystem} volume is damaged: ${f.reason} (byte ${f.offset}).`,
  'fs.ability': (f) => `A ${f.fileSystem} volume can't be made to ${f.ability} here.`,
  'fs.below-floor': (f) => `${f.wanted} bytes is below the floor of ${f.floor} bytes: ${f.reason}.`,
  'fs.above-ceiling': (f) => `${f.wanted} bytes is above the largest size of ${f.ceiling} bytes: ${f.reason}.`,
  'fs.cluster-size': (f) =>
    `A cluster size of ${f.clusterSize} bytes does not suit a ${f.fileSystem} volume of ${f.size} bytes: ${f.reason}.`,
  'fs.label': (f) => `“${f.label}” can't be the label: ${f.reason}.`,
  'fs.name': (f) => `“${f.name}” can't be a file name: ${f.reason}.`,
  'fs.full': (f) => `The volume is full: ${f.needed} bytes are needed and ${f.free} are free.`,
  'fs.exists': (f) => `${f.path} is there already.`,
  'fs.not-found': (f) => `${f.path} is not on the volume.`,
  'fs.record-full': (f) =>
    `Record ${f.record} has no room for what would have to be written into it. Nothing was changed.`,
  'fs.unsound': (f) =>
    `The ${f.fileSystem} volume has ${f.findings} error${f.findings === 1 ? '' : 's'} and is left as it is: ${f.first}`,
  'layout.refused': (f) => f.reason,
  'plan.refused': (f) => f.reason,
  'plan.stuck': (f) => f.reason,
  'scan.invalid': (f) => `The scan can't be used: ${f.reason}.`,
  'target.invalid': (f) => `The target can't be read: ${f.reason}.`,
  'recipe.invalid': (f) => `The recipe can't be read: ${f.reason}.`,
  'document.invalid': (f) => `${f.what} can't be read: ${f.reason}.`,
  'table.none': () => 'The disk has no table, so there is none to be kept.',
  'journal.corrupt': (f) => `The journal is damaged at record ${f.record}: ${f.reason}. It is not acted on.`,
  'journal.foreign': (f) => `The journal belongs to something else: ${f.reason}. It is not acted on.`,
  'journal.version': (f) =>
    `The journal is of version ${f.version}, which this program does not act on. Go on with the program that began the run.`,
  'run.stopped': (f) => `The run was stopped safely at step ${f.step + 1} and can be resumed.`,
  'run.unfinished': (f) => `A run is unfinished: ${f.reason}. Resume it or rewind it first.`,
  'run.nothing-to-resume': (f) => `There is no run to resume: ${f.reason}.`,
  'run.nothing-to-rewind': (f) => `There is nothing to rewind: ${f.reason}.`,
  'run.changed': (f) => `The disk is not as it was: ${f.reason}. It is left as it is.`,
  'run.rewinding': () => 'It is being put back as it was, and that was not finished. Finish it with rewind.',
  'run.copying': () => 'The run was cut while the image was still being copied. Start it again.',
  'run.elsewhere': (f) =>
    `The room on ${f.name} can’t be used: ${f.reason}. The run stays where it is, and goes on once that is put right.`,
  'run.source': (f) => `${f.name} can’t be copied from: ${f.reason}. Nothing more is done until that is put right.`,
  'run.differs': (f) =>
    `${f.count} of what came to ${f.name} ${f.count === 1 ? 'is' : 'are'} not as it was, ${f.path} first (${f.what}). Nothing was taken away.`,
  'run.holds': (f) => `${f.name} is left as it is: ${f.reason}.`,
  'run.meanwhile': (f) => `${f.name} was changed meanwhile, and what was saved of it is not whole. Save it again.`,
  'run.going-on': (f) => `A run on ${f.name} is going on. This can be done when it is over or stopped.`,
  'bench.held': () => 'The bench is open in another tab, and only that one changes it. Nothing was changed here.',
  'storage.full': (f) =>
    f.wanted > 0
      ? `The browser’s storage is full: ${f.wanted} bytes could not be kept. Nothing that was kept before is lost. Make room, and go on.`
      : 'The browser’s storage is full. Nothing that was kept before is lost. Make room, and go on.',
  'storage.lost': (f) => `${f.what} is no longer in the storage.`,
  'file.missing': (f) => `${f.name} is not there.`,
  'file.exists': (f) => `${f.name} exists already and is left as it is. Name another.`,
  'file.same': (f) => `${f.name} is ${f.other} itself. Name another file.`,
  'file.busy': (f) => `${f.name} is in use: ${f.reason}.`,
  'file.full': (f) => `There is no room left for ${f.name}: ${f.wanted} bytes could not be written.`,
  'file.failed': (f) => `${f.name} can’t be ${f.act}: ${f.reason}.`,
};

/** The plain-data form of a {@link CoreError}, for the worker seam and for JSON. */
export interface ErrorData {
  code: ErrorCode;
  message: string;
  facts: ErrorFacts[ErrorCode];
}

/** A refusal or failure with a stable code, a sentence for a technician and its facts. */
export class CoreError<C extends ErrorCode = ErrorCode> extends Error {
  override readonly name = 'CoreError';
  readonly code: C;
  readonly facts: ErrorFacts[C];

  constructor(code: C, facts: ErrorFacts[C], cause?: unknown) {
    super(SENTENCES[code](facts), cause === undefined ? undefined : { cause });
    this.code = code;
    this.facts = facts;
  }

  /** The error as plain data; the inverse is {@link errorFromData}. */
  toData(): ErrorData {
    return { code: this.code, message: this.message, facts: this.facts };
  }
}

/** The error again from its plain data; the inverse of {@link CoreError.toData}. */
export function errorFromData(data: ErrorData): CoreError {
  return new CoreError(data.code, data.facts as never);
}

/** Whether `error` is a {@link CoreError}, with this code if one is given. */
export function isCoreError<C extends ErrorCode = ErrorCode>(error: unknown, code?: C): error is CoreError<C> {
  return error instanceof CoreError && (code === undefined || error.code === code);
}
