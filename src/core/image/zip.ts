/** zip archives, whose library is loaded when there is one: the tables that it makes at once took an eighth of a runner’s start. */
import type { BlockDevice } from '@/core/device';
import type { Unpacker } from './unpack';

const library = () => import('./zip-archive');

/** A device as a zip with one file in it, in chunks. */
export async function* exportZip(device: BlockDevice, name: string): AsyncGenerator<Uint8Array> {
  yield* (await library()).exportZip(device, name);
}

export const unzip: Unpacker = async (source, emit, options) => (await library()).unzip(source, emit, options);
