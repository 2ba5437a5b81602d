import { MemoryDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { makeVolume, openVolume, write } from '../fixtures/volumes';
import { partsOf } from './across';
import { parseGeometry, type NtfsGeometry } from './boot-sector';
import { applyFixup } from './build-record';
import { scanMft, type Mft } from './mft';
import { RECORD, TYPE, undoFixup } from './record';

const MIB = 1024 * 1024;

interface Opened {
  readonly device: MemoryDevice;
  readonly g: NtfsGeometry;
  readonly mft: Mft;
}

/** A volume with a folder of many names and a few files, in memory. */
async function volume(): Promise<Opened> {
  const made = await makeVolume({ kind: 'ntfs', size: 24 * MIB });
  await write('ntfs', made, async (writer) => {
    await writer.mkdir('folder');
    for (let i = 0; i < 120; i++)
      await writer.writeFile(`folder/name ${i}.txt`, { kind: 'bytes', bytes: Uint8Array.of(i) });
    await writer.writeFile(
      'large.bin',
      { kind: 'procedural', seed: 1, size: 300_000 },
      { placement: { fragments: 5 } },
    );
  });
  const device = new MemoryDevice(await made.bytes(0, made.size));
  const g = parseGeometry(await device.bytes(0, 512), device.size);
  return { device, g, mft: await scanMft(device, g) };
}

const recordNamed = ({ mft }: Opened, name: string): number =>
  [...mft.files.values()].find((f) => f.names.some((n) => n.name === name))!.number;

/** Changes a record, or an index block, with its update sequence undone and applied again. */
function edit(bytes: Uint8Array, act: (view: DataView, bytes: Uint8Array) => void): void {
  expect(undoFixup(bytes)).toBe('ok');
  act(new DataView(bytes.buffer, bytes.byteOffset, bytes.length), bytes);
  applyFixup(bytes, RECORD.decode(bytes).sequenceOffset);
}

function record({ device, g, mft }: Opened, number: number): Uint8Array {
  const [part] = [...partsOf(mft.tableRuns, g.clusterSize, number * g.recordSize, g.recordSize)];
  const { at } = part!;
  return device.buffer.subarray(at, at + g.recordSize);
}

function indexBlock(v: Opened, folder: string): Uint8Array {
  const stream = v.mft.files.get(recordNamed(v, folder))!.streams.find((s) => s.type === TYPE.indexAllocation)!;
  const at = stream.runs[0]!.lcn * v.g.clusterSize;
  return v.device.buffer.subarray(at, at + v.g.indexSize);
}

const attributeAt = (bytes: Uint8Array, view: DataView, type: number): number => {
  let at = RECORD.decode(bytes).attributesOffset;
  while (view.getUint32(at, true) !== type) at += view.getUint32(at + 4, true);
  return at;
};

async function codes(v: Opened): Promise<string[]> {
  return (await (await openVolume('ntfs', v.device)).check()).map((f) => f.code);
}

describe('the check finds', () => {
  it('nothing on a sound volume', async () => {
    expect(await codes(await volume())).toEqual([]);
  });

  it.each<[string, string, (v: Opened) => void]>([
    ['a changed mirror', 'ntfs.mirror', (v) => void (v.device.buffer[v.g.mirrorLcn * v.g.clusterSize + 400]! ^= 1)],
    [
      'a changed backup of the boot sector',
      'ntfs.backup-boot',
      (v) => void (v.device.buffer[v.device.size - 512 + 72]! ^= 1),
    ],
    [
      'a record in use that is marked free',
      'ntfs.mft-bitmap',
      (v) => {
        const bits = v.mft.files.get(0)!.streams.find((s) => s.type === TYPE.bitmap)!;
        const number = recordNamed(v, 'large.bin');
        v.device.buffer[bits.runs[0]!.lcn * v.g.clusterSize + (number >> 3)]! &= ~(1 << (number & 7));
      },
    ],
    [
      'a record marked in use that holds nothing',
      'ntfs.mft-unused',
      (v) => {
        const bits = v.mft.files.get(0)!.streams.find((s) => s.type === TYPE.bitmap)!;
        const free = v.mft.records - 1;
        v.device.buffer[bits.runs[0]!.lcn * v.g.clusterSize + (free >> 3)]! |= 1 << (free & 7);
      },
    ],
    [
      'a cluster in use that is marked free',
      'ntfs.unmarked',
      (v) => {
        const bits = v.mft.files.get(6)!.streams.find((s) => s.type === TYPE.data)!;
        const { lcn } = v.mft.files.get(recordNamed(v, 'large.bin'))!.streams.find((s) => s.type === TYPE.data)!
          .runs[0]!;
        v.device.buffer[bits.runs[0]!.lcn * v.g.clusterSize + (lcn >> 3)]! &= ~(1 << (lcn & 7));
      },
    ],
    [
      'a count of names that does not agree',
      'ntfs.links',
      (v) => edit(record(v, recordNamed(v, 'large.bin')), (_view, bytes) => RECORD.encode({ links: 4 }, bytes)),
    ],
    [
      'a size that does not agree with the clusters',
      'ntfs.sizes',
      (v) =>
        edit(record(v, recordNamed(v, 'large.bin')), (view, bytes) =>
          view.setBigUint64(attributeAt(bytes, view, TYPE.data) + 40, 4096n, true),
        ),
    ],
    ['a torn record', 'ntfs.torn-record', (v) => void (record(v, recordNamed(v, 'large.bin'))[510]! ^= 0xff)],
    ['a torn index block', 'ntfs.index', (v) => void (indexBlock(v, 'folder')[510]! ^= 0xff)],
    [
      'an index that points to another record',
      'ntfs.index-entry',
      (v) =>
        edit(indexBlock(v, 'folder'), (view) => {
          const first = 24 + view.getUint32(24, true);
          view.setUint32(first, view.getUint32(first, true) + 1, true);
        }),
    ],
    [
      'names out of order',
      'ntfs.index-order',
      (v) =>
        edit(indexBlock(v, 'folder'), (view, bytes) => {
          const first = 24 + view.getUint32(24, true);
          // The first letter of the first name, behind the fixed part of its key.
          bytes[first + 16 + 66] = 0x7a;
        }),
    ],
    [
      'a block that says it is another',
      'ntfs.index',
      (v) => edit(indexBlock(v, 'folder'), (view) => view.setBigUint64(16, 7n, true)),
    ],
    [
      'a list of bad clusters that is too short',
      'ntfs.bad-clusters',
      (v) =>
        edit(record(v, 8), (view, bytes) => {
          let at = attributeAt(bytes, view, TYPE.data);
          while (bytes[at + 8] === 0) at += view.getUint32(at + 4, true);
          const pairs = at + view.getUint16(at + 32, true);
          bytes[pairs + 1]! -= 1;
        }),
    ],
  ])('%s', async (_name, code, act) => {
    const v = await volume();
    act(v);
    expect(await codes(v)).toContain(code);
  });

  it('a lost name when a record says it stands in a folder that does not list it', async () => {
    const v = await volume();
    edit(record(v, recordNamed(v, 'large.bin')), (view, bytes) => {
      const at = attributeAt(bytes, view, TYPE.fileName);
      const value = at + view.getUint16(at + 20, true);
      view.setUint32(value, recordNamed(v, 'folder'), true);
    });
    const found = await codes(v);
    expect(found).toContain('ntfs.index-missing');
    expect(found).toContain('ntfs.index-entry');
  });
});
