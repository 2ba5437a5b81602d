/**
 * One pass over the master file table: every file with its names and streams, and what is wrong. Linear in records.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$MFT”, “$FILE_NAME”, “$STANDARD_INFORMATION” and “$ATTRIBUTE_LIST”.
 * Extension records are joined to their base by the reference they carry, in order of their lowest VCN, so attribute
 * lists need not be followed; they are read only for the table's own extents, which are needed before the pass.
 */
import { struct, u16, u32, u64, u8 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import type { FileTimes } from '../port';
import type { NtfsGeometry } from './boot-sector';
import { FLAG, parseAttributes, RECORD, recordOf, TYPE, undoFixup, utf16, type Attribute } from './record';
import { decodeRuns, type DataRun } from './runlist';
import { filetimeToIso } from './times';
import { readAcross } from './across';

const STANDARD = struct('standard information', 48, {
  created: u64(0),
  modified: u64(8),
  changed: u64(16),
  accessed: u64(24),
  attributes: u32(32),
});

const FILE_NAME = struct('file name', 66, { parent: u64(0), flags: u32(56), nameLength: u8(64), space: u8(65) });
const LIST_ENTRY = struct('attribute list entry', 26, {
  type: u32(0),
  length: u16(4),
  lowestVcn: u64(8),
  reference: u64(16),
});

/** The name space of 8.3 names, which only repeat a long one. */
const DOS_SPACE = 2;
const READ_BYTES = 4 * 1024 * 1024;
const MAX_FINDINGS = 1000;
const MAX_LIST_BYTES = 256 * 1024;

/** A name of a file in a folder. */
export interface NtfsName {
  readonly parent: number;
  readonly name: string;
}

/** A stream: its bytes if resident, else its runs. */
export interface NtfsStream {
  readonly type: number;
  readonly name: string;
  readonly flags: number;
  readonly compressionUnit: number;
  readonly size: number;
  readonly initialised: number;
  readonly value?: Uint8Array;
  readonly runs: readonly DataRun[];
}

/** A base record in use, with what its extension records add. */
export interface NtfsFile {
  readonly number: number;
  readonly sequence: number;
  readonly folder: boolean;
  readonly links: number;
  readonly times: FileTimes;
  readonly attributes: number;
  readonly names: readonly NtfsName[];
  readonly streams: readonly NtfsStream[];
}

export interface Mft {
  readonly files: ReadonlyMap<number, NtfsFile>;
  readonly records: number;
  /** The extents of the table itself. */
  readonly tableRuns: readonly DataRun[];
  readonly findings: readonly Finding[];
}

interface Building {
  number: number;
  sequence: number;
  folder: boolean;
  links: number;
  times: FileTimes;
  attributes: number;
  names: NtfsName[];
  pieces: { attribute: Attribute; runs: readonly DataRun[] }[];
}

/** Every record of the table in order, as it is on the disk. Each buffer is fresh, so that views of it may be kept. */
export async function* readRecords(
  device: BlockDevice,
  g: NtfsGeometry,
  runs: readonly DataRun[],
): AsyncGenerator<{ number: number; bytes: Uint8Array }> {
  const total = runs.reduce((sum, run) => sum + run.length, 0) * g.clusterSize;
  const chunk = Math.floor(READ_BYTES / g.recordSize) * g.recordSize;
  for (let offset = 0; offset + g.recordSize <= total; offset += chunk) {
    const part = await readAcross(device, runs, g.clusterSize, offset, Math.min(chunk, total - offset));
    for (let at = 0; at + g.recordSize <= part.length; at += g.recordSize) {
      yield { number: (offset + at) / g.recordSize, bytes: part.slice(at, at + g.recordSize) };
    }
  }
}

/** Reads the whole table. @throws CoreError `fs.damaged` when the table itself can't be found */
export async function scanMft(device: BlockDevice, g: NtfsGeometry): Promise<Mft> {
  return new MftScan(device, g).run();
}

class MftScan {
  readonly #building = new Map<number, Building>();
  readonly #findings: Finding[] = [];

  constructor(
    private readonly device: BlockDevice,
    private readonly g: NtfsGeometry,
  ) {}

  async run(): Promise<Mft> {
    const tableRuns = await this.#tableRuns();
    let records = 0;
    for await (const { number, bytes } of readRecords(this.device, this.g, tableRuns)) {
      this.#record(number, bytes);
      records = number + 1;
    }
    const files = new Map<number, NtfsFile>();
    for (const building of this.#building.values())
      if (building.sequence >= 0) files.set(building.number, this.#finish(building));
    return { files, records, tableRuns, findings: this.#findings };
  }

  /** The extents of the table: from record 0, and from the extension records its attribute list names. */
  async #tableRuns(): Promise<DataRun[]> {
    const { recordSize, mftLcn, clusterSize } = this.g;
    const record = await this.device.bytes(mftLcn * clusterSize, recordSize);
    const attributes = this.#attributesOf(record);
    const pieces = attributes?.filter((a) => a.type === TYPE.data && a.name === '' && a.pairs) ?? [];
    const first = pieces[0] && this.#runs(pieces[0]);
    if (!first) throw this.#damaged('the first record of its master file table makes no sense', mftLcn * clusterSize);
    const list = attributes!.find((a) => a.type === TYPE.attributeList);
    const runs = [...first];
    const seen = new Set<number>([0]);
    for (const entry of list ? await this.#listEntries(list) : []) {
      const number = recordOf(entry.reference);
      if (entry.type !== TYPE.data || seen.has(number)) continue;
      seen.add(number);
      const extension = await readAcross(this.device, runs, clusterSize, number * recordSize, recordSize);
      const piece = this.#attributesOf(extension)?.find((a) => a.type === TYPE.data && a.name === '' && a.pairs);
      const more = piece && this.#runs(piece);
      if (!more) throw this.#damaged(`record ${number}, which holds part of its master file table, makes no sense`, 0);
      runs.push(...more);
    }
    return runs;
  }

  async #listEntries(list: Attribute): Promise<ReturnType<typeof LIST_ENTRY.decode>[]> {
    const bytes =
      list.value ??
      (await readAcross(
        this.device,
        this.#runs(list) ?? [],
        this.g.clusterSize,
        0,
        Math.min(list.dataSize, MAX_LIST_BYTES),
      ));
    const out: ReturnType<typeof LIST_ENTRY.decode>[] = [];
    for (let at = 0; at + LIST_ENTRY.size <= bytes.length;) {
      const entry = LIST_ENTRY.decode(bytes, at);
      if (entry.length < LIST_ENTRY.size) break;
      out.push(entry);
      at += entry.length;
    }
    return out;
  }

  #attributesOf(record: Uint8Array): Attribute[] | undefined {
    if (RECORD.decode(record).magic !== 'FILE' || undoFixup(record) !== 'ok') return undefined;
    return parseAttributes(record);
  }

  #runs(attribute: Attribute): DataRun[] | undefined {
    const { clusterCount } = this.g;
    // A sparse file may be far larger than its volume, but its size must be one that can be said exactly.
    const most = Math.ceil(Number.MAX_SAFE_INTEGER / this.g.clusterSize);
    return attribute.pairs && decodeRuns(attribute.pairs, clusterCount, most);
  }

  #record(number: number, bytes: Uint8Array): void {
    const header = RECORD.decode(bytes);
    if (header.magic !== 'FILE') {
      if (header.magic === 'BAAD') this.#find('error', 'ntfs.bad-record', `Record ${number} is marked as damaged.`);
      return;
    }
    const fixup = undoFixup(bytes);
    if ((header.flags & FLAG.inUse) === 0) return;
    if (fixup !== 'ok')
      return this.#find('error', 'ntfs.torn-record', `Record ${number} was torn while it was written.`);
    const attributes = parseAttributes(bytes);
    if (!attributes) return this.#find('error', 'ntfs.bad-record', `The attributes of record ${number} make no sense.`);
    const base = header.base === 0n ? number : recordOf(header.base);
    const building = this.#building.get(base) ?? this.#begin(base);
    if (base === number) {
      building.sequence = header.sequence;
      building.folder = (header.flags & FLAG.folder) !== 0;
      building.links = header.links;
    }
    for (const attribute of attributes) this.#attribute(building, attribute, number);
  }

  #begin(number: number): Building {
    const building: Building = {
      number,
      sequence: -1,
      folder: false,
      links: 0,
      times: {},
      attributes: 0,
      names: [],
      pieces: [],
    };
    this.#building.set(number, building);
    return building;
  }

  #attribute(building: Building, attribute: Attribute, number: number): void {
    const { type, value } = attribute;
    if (type === TYPE.standardInformation && value && value.length >= STANDARD.size) {
      const s = STANDARD.decode(value);
      building.attributes = s.attributes;
      building.times = {
        created: filetimeToIso(s.created),
        modified: filetimeToIso(s.modified),
        accessed: filetimeToIso(s.accessed),
      };
    } else if (type === TYPE.fileName && value && value.length >= FILE_NAME.size) this.#name(building, value);
    if (attribute.value) building.pieces.push({ attribute, runs: [] });
    else {
      const runs = this.#runs(attribute);
      if (runs) building.pieces.push({ attribute, runs });
      else this.#find('error', 'ntfs.bad-runs', `A runlist in record ${number} makes no sense or leaves the volume.`);
    }
  }

  #name(building: Building, value: Uint8Array): void {
    const { parent, nameLength, space } = FILE_NAME.decode(value);
    const end = FILE_NAME.size + nameLength * 2;
    if (space === DOS_SPACE || end > value.length || nameLength === 0) return;
    building.names.push({ parent: recordOf(parent), name: utf16(value.subarray(FILE_NAME.size, end)) });
  }

  #finish(building: Building): NtfsFile {
    const streams = new Map<string, { head: Attribute; pieces: Building['pieces'] }>();
    const order = [...building.pieces].sort((a, b) => a.attribute.lowestVcn - b.attribute.lowestVcn);
    for (const piece of order) {
      const { type, name } = piece.attribute;
      if (type === TYPE.fileName || type === TYPE.standardInformation) continue;
      const key = `${type}:${name}`;
      const known = streams.get(key);
      if (known) known.pieces.push(piece);
      else streams.set(key, { head: piece.attribute, pieces: [piece] });
    }
    const { number, sequence, folder, links, times, attributes, names } = building;
    const joined = [...streams.values()].map(({ head, pieces }) => this.#join(building, head, pieces));
    return { number, sequence, folder, links, times, attributes, names, streams: joined };
  }

  #join(building: Building, head: Attribute, pieces: Building['pieces']): NtfsStream {
    const runs: DataRun[] = [];
    let vcn = 0;
    for (const piece of pieces) {
      if (!piece.attribute.value && piece.attribute.lowestVcn !== vcn) {
        this.#find('error', 'ntfs.gap', `A stream of record ${building.number} has a gap at cluster ${vcn}.`);
        break;
      }
      runs.push(...piece.runs);
      vcn += piece.runs.reduce((sum, run) => sum + run.length, 0);
    }
    const { type, name, flags, compressionUnit, dataSize, initialisedSize, value } = head;
    if (!value && dataSize > vcn * this.g.clusterSize) {
      this.#find(
        'error',
        'ntfs.short',
        `A stream of record ${building.number} says it has ${dataSize} bytes and its runs hold ${vcn * this.g.clusterSize}.`,
      );
    }
    return {
      type,
      name,
      flags,
      compressionUnit,
      size: dataSize,
      initialised: initialisedSize,
      runs,
      ...(value ? { value } : {}),
    };
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }

  #damaged(reason: string, offset: number): CoreError {
    return new CoreError('fs.damaged', { fileSystem: 'NTFS', reason, offset });
  }
}
