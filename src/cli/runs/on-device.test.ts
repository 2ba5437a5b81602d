import { expect, it, describe } from 'vitest';
import { systemFiles, type DeviceFacts, type Files } from '../files';
import { assertAlsoMeant, besideDevice, keptName } from './on-device';

const DISK: DeviceFacts = { name: 'sdq', size: 64e9, sectorSize: 512, model: 'Brindle U64', serial: 'B0 17' };
/** A machine with two folders, one of which is on the disk. */
const files: Files = {
  ...systemFiles,
  facts: async (path) => {
    if (path === '/nowhere') return undefined;
    const kind = path === '/file' ? 'file' : 'folder';
    return { kind, size: 0, identity: path, inode: '1', modified: 0, onDisk: path === '/own' ? 'sdq' : 'sda' };
  },
};
const beside = (device: DeviceFacts, iMean?: string, journal?: string): Promise<string> =>
  besideDevice(files, '/dev/sdq', device, {
    ...(iMean === undefined ? {} : { iMean: [iMean] }),
    ...(journal === undefined ? {} : { journal }),
  });

describe('a disk of the machine', () => {
  it('is meant by its model or serial number, however it is spaced and written', async () => {
    for (const name of ['Brindle U64', 'brindle  u64 ', 'b0 17'])
      expect(await beside(DISK, name, '/other')).toBe('/other/Brindle-U64-B0-17');
    for (const name of [undefined, '', 'sdq', '/dev/sdq', 'Brindle'])
      await expect(beside(DISK, name, '/other')).rejects.toThrow(
        /model Brindle U64, serial B0 17.*--i-mean "Brindle U64"/,
      );
  });

  it('is meant by its name only where it has neither', async () => {
    const nameless = { ...DISK, model: '', serial: '' };
    for (const name of ['sdq', '/dev/sdq'])
      expect(await beside(nameless, name, '/other')).toBe('/other/disk-64000000000');
    await expect(beside(nameless, 'sda', '/other')).rejects.toThrow(/--i-mean "sdq"/);
  });

  it('keeps its journal in a folder on another disk, of a part of it too', async () => {
    await expect(beside(DISK, 'B0 17')).rejects.toThrow(/--journal DIR/);
    await expect(beside(DISK, 'B0 17', '/nowhere')).rejects.toThrow(/no folder/);
    await expect(beside(DISK, 'B0 17', '/file')).rejects.toThrow(/no folder/);
    await expect(beside(DISK, 'B0 17', '/own')).rejects.toThrow(/on the disk that is to be written/);
    await expect(beside({ ...DISK, name: 'sdq2', partOf: 'sdq' }, 'B0 17', '/own')).rejects.toThrow(/on the disk/);
  });

  it('has a name for its journal that no letter of a model leads out of the folder with', () => {
    expect(keptName({ ...DISK, model: '../..', serial: '/etc' })).not.toMatch(/[./]/);
  });

  it('that is written too is meant by the name that the target has for it, and keeps no journal on it', async () => {
    const machine: Files = {
      ...files,
      facts: async (path) => {
        const found = await files.facts(path);
        return path === '/dev/sdq' ? { ...found!, kind: 'device', device: DISK } : found;
      },
    };
    const also = (iMean: string[], folder = '/other', path = '/dev/sdq'): Promise<void> =>
      assertAlsoMeant(machine, path, 'old', `${folder}/x`, { iMean, with: ['old=/dev/sdq', 'b=/dev/sdr'] });
    await also(['old=B0 17']);
    await also(['b=C1', 'old=brindle u64', 'C1']);
    for (const wrong of [[], ['B0 17'], ['b=B0 17'], ['old='], ['old=B0 17', 'old=C1']])
      await expect(also(wrong)).rejects.toThrow(/--i-mean "old=Brindle U64"/);
    await expect(also(['old=B0 17'], '/own')).rejects.toThrow(/on the disk that is to be written/);
    // A file is no disk of the machine.
    await also([], '/own', '/file');
    // And what is said of it is not said of the disk that is divided.
    const own = { iMean: ['old=B0 17'], journal: '/other', with: ['old=/dev/sdr'] };
    await expect(besideDevice(files, '/dev/sdq', DISK, own)).rejects.toThrow(/--i-mean "Brindle U64"/);
  });
});
