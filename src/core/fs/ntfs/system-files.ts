/** The records of a new volume's system files, and the root folder that names them. */
import {
  buildIndexBlock,
  buildIndexRoot,
  referenceTo,
  toUtf16,
  type NewAttribute,
  type NewIndexEntry,
  type NewRecord,
} from './build-record';
import { BY_ULONG, extendFiles, type ExtendFile } from './extend';
import type { NewExtent, NewVolumePlan } from './make-plan';
import { FLAG, TYPE } from './record';
import { HOLE } from './runlist';
import { buildSecurity, SECURITY_ID } from './security';

const ROOT = 5;
const EXTEND = 11;
const HIDDEN_SYSTEM = 0x06;
const FOLDER_FLAG = 0x10000000;
const VIEW_FLAG = 0x20000000;
/** Marks of records: one with views, and one of the system's that is not in the first records. */
const VIEW_RECORD = 0x08;
const EXTENDED_RECORD = 0x04;
const WIN32_AND_DOS = 3;
const BY_NAME = 1;
const BY_HASH = 0x12;
/** 2000-01-01 in hundreds of nanoseconds since 1601: a plan has no clock, and the same options give the same bytes. */
const MADE_AT = 125911584000000000n;

/** Names of the system's files by record number. */
const SYSTEM_NAMES = [
  '$MFT',
  '$MFTMirr',
  '$LogFile',
  '$Volume',
  '$AttrDef',
  '.',
  '$Bitmap',
  '$Boot',
  '$BadClus',
  '$Secure',
  '$UpCase',
  '$Extend',
];

/** Linux-NTFS “NTFS Documentation”, chapters on each system file. */
export class SystemFiles {
  readonly security = buildSecurity();
  readonly #extended = extendFiles(MADE_AT);

  constructor(
    private readonly plan: NewVolumePlan,
    private readonly label: string,
  ) {}

  /** Numbers of the records in use past the first sixteen. */
  get beyond(): number[] {
    return this.#extended.map(({ number }) => number);
  }

  /** The record of a number: one of the system's, one that is kept for it, or one that is free. */
  record(number: number): NewRecord {
    const system = this.#systemFile(number) ?? this.#extendedFile(number);
    if (system) return system;
    if (number >= 16) return { number, sequence: 1, flags: 0, links: 0, attributes: [] };
    const attributes = [this.#standard(SECURITY_ID.system), { type: TYPE.data, value: new Uint8Array() }];
    return { number, sequence: number, flags: FLAG.inUse, links: 0, attributes };
  }

  #systemFile(number: number): NewRecord | undefined {
    const content = this.#contents(number);
    const name = SYSTEM_NAMES[number];
    if (!content || name === undefined) return undefined;
    const folder = number === ROOT || number === EXTEND;
    const view = number === 9 ? VIEW_RECORD : 0;
    const security = number === ROOT ? SECURITY_ID.open : SECURITY_ID.system;
    return {
      number,
      sequence: Math.max(number, 1),
      flags: FLAG.inUse | (folder ? FLAG.folder : 0) | view,
      links: 1,
      attributes: [
        this.#standard(security),
        { type: TYPE.fileName, value: this.#fileName(number), indexed: true },
        ...content,
      ],
    };
  }

  #extendedFile(number: number): NewRecord | undefined {
    const file = this.#extended.find((f) => f.number === number);
    if (!file) return undefined;
    const views = file.views.map(({ name, collation, entries }): NewAttribute => {
      return { type: TYPE.indexRoot, name, value: buildIndexRoot(this.#shape(0, collation), entries) };
    });
    return {
      number,
      sequence: 1,
      flags: FLAG.inUse | VIEW_RECORD | EXTENDED_RECORD,
      links: 1,
      attributes: [
        this.#standard(SECURITY_ID.system),
        { type: TYPE.fileName, value: this.#extendedName(file), indexed: true },
        ...views,
      ],
    };
  }

  #extendedName({ name }: ExtendFile): Uint8Array {
    return this.#nameOf(name, referenceTo(EXTEND, EXTEND), VIEW_FLAG);
  }

  #extendAttributes(): NewAttribute[] {
    const entries = [...this.#extended]
      .sort((a, b) => (a.name.toUpperCase() < b.name.toUpperCase() ? -1 : 1))
      .map((file): NewIndexEntry => ({ head: referenceHead(file.number, 1), key: this.#extendedName(file) }));
    const value = buildIndexRoot(this.#shape(TYPE.fileName, BY_NAME), entries);
    return [{ type: TYPE.indexRoot, name: '$I30', value }];
  }

  #contents(number: number): NewAttribute[] | undefined {
    const { plan } = this;
    switch (number) {
      case 0:
        return [stored(plan, plan.mft), { ...stored(plan, plan.mftBitmap), type: TYPE.bitmap }];
      case 1:
        return [stored(plan, plan.mirror)];
      case 2:
        return [stored(plan, plan.log)];
      case 3:
        return this.#volumeAttributes();
      case 4:
        return [stored(plan, plan.definitions)];
      case ROOT:
        return this.#rootAttributes();
      case 6:
        return [stored(plan, plan.bitmap)];
      case 7:
        return [stored(plan, plan.boot)];
      case 8:
        return this.#badClusterAttributes();
      case 9:
        return this.#securityAttributes();
      case 10:
        return [stored(plan, plan.upcase)];
      case EXTEND:
        return this.#extendAttributes();
      default:
        return undefined;
    }
  }

  #volumeAttributes(): NewAttribute[] {
    const information = new Uint8Array(12);
    information.set([3, 1], 8);
    return [
      { type: TYPE.volumeName, value: toUtf16(this.label) },
      { type: TYPE.volumeInformation, value: information },
      { type: TYPE.data, value: new Uint8Array() },
    ];
  }

  #rootAttributes(): NewAttribute[] {
    const { plan } = this;
    const first = new Uint8Array(8);
    first[0] = 1;
    return [
      { type: TYPE.indexRoot, name: '$I30', value: buildIndexRoot(this.#shape(TYPE.fileName, BY_NAME), 'in block 0') },
      { ...stored(plan, plan.rootIndex), type: TYPE.indexAllocation, name: '$I30' },
      { type: TYPE.bitmap, name: '$I30', value: first },
    ];
  }

  #badClusterAttributes(): NewAttribute[] {
    const { clusterCount, clusterSize } = this.plan;
    const size = clusterCount * clusterSize;
    const hole = {
      type: TYPE.data,
      name: '$Bad',
      runs: [{ lcn: HOLE, length: clusterCount }],
      allocated: size,
      size,
      initialised: 0,
    };
    return [{ type: TYPE.data, value: new Uint8Array() }, hole];
  }

  #securityAttributes(): NewAttribute[] {
    const { plan } = this;
    return [
      { ...stored(plan, plan.security), name: '$SDS' },
      { type: TYPE.indexRoot, name: '$SDH', value: buildIndexRoot(this.#shape(0, BY_HASH), this.security.byHash) },
      { type: TYPE.indexRoot, name: '$SII', value: buildIndexRoot(this.#shape(0, BY_ULONG), this.security.byId) },
    ];
  }

  #shape(type: number, collation: number) {
    const { indexSize, clusterSize } = this.plan;
    // With clusters larger than a block, blocks are counted in 512 bytes.
    const clustersPerBlock = clusterSize <= indexSize ? indexSize / clusterSize : indexSize / 512;
    return { type, collation, blockSize: indexSize, clustersPerBlock };
  }

  #standard(securityId: number): NewAttribute {
    const value = new Uint8Array(72);
    const view = new DataView(value.buffer);
    for (let i = 0; i < 4; i++) view.setBigUint64(i * 8, MADE_AT, true);
    view.setUint32(32, HIDDEN_SYSTEM, true);
    view.setUint32(52, securityId, true);
    return { type: TYPE.standardInformation, value };
  }

  #fileName(number: number): Uint8Array {
    const folder = number === ROOT || number === EXTEND ? FOLDER_FLAG : number === 9 ? VIEW_FLAG : 0;
    return this.#nameOf(SYSTEM_NAMES[number]!, referenceTo(ROOT, ROOT), folder, this.#extentOf(number));
  }

  #nameOf(text: string, parent: bigint, kind: number, extent?: NewExtent): Uint8Array {
    const name = toUtf16(text);
    const value = new Uint8Array(66 + name.length);
    const view = new DataView(value.buffer);
    view.setBigUint64(0, parent, true);
    for (let i = 1; i <= 4; i++) view.setBigUint64(i * 8, MADE_AT, true);
    view.setBigUint64(40, BigInt((extent?.clusters ?? 0) * this.plan.clusterSize), true);
    view.setBigUint64(48, BigInt(extent?.size ?? 0), true);
    view.setUint32(56, HIDDEN_SYSTEM | kind, true);
    value[64] = text.length;
    value[65] = WIN32_AND_DOS;
    value.set(name, 66);
    return value;
  }

  #extentOf(number: number): NewExtent | undefined {
    const { plan } = this;
    const extents = [
      plan.mft,
      plan.mirror,
      plan.log,
      undefined,
      plan.definitions,
      undefined,
      plan.bitmap,
      plan.boot,
      undefined,
      undefined,
      plan.upcase,
    ];
    return extents[number];
  }

  /** The root folder, which names all of them. */
  rootBlock(): Uint8Array {
    const entries = SYSTEM_NAMES.map((name, number): { name: string; entry: NewIndexEntry } => {
      return { name, entry: { head: referenceHead(number, Math.max(number, 1)), key: this.#fileName(number) } };
    });
    entries.sort((a, b) => (a.name.toUpperCase() < b.name.toUpperCase() ? -1 : 1));
    return buildIndexBlock(
      this.plan.indexSize,
      0,
      entries.map((e) => e.entry),
    );
  }
}

/** The head of an entry in a folder. */
function referenceHead(number: number, sequence: number): Uint8Array {
  const head = new Uint8Array(8);
  new DataView(head.buffer).setBigUint64(0, referenceTo(number, sequence), true);
  return head;
}

function stored(plan: NewVolumePlan, { lcn, clusters, size }: NewExtent) {
  return { type: TYPE.data as number, runs: [{ lcn, length: clusters }], allocated: clusters * plan.clusterSize, size };
}
