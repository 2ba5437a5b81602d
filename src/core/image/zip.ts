/** zip archives, whose library is loaded when there is one: the tables that it makes at once took an eighth of a runner’s start. */
import type { BlockDevice } from '@/core/device';
import type { Unpacker } from './unpack';
import type { ToPack } from './zip-archive';

const library = () => import('./zip-archive');

/** A device as a zip with one file in it, in chunks. */
export async function* exportZip(device: BlockDevice, name: string): AsyncGenerator<Uint8Array> {
  yield* (await library()).exportZip(device, name);
}

/** Files and folders as a zip, in chunks; each is read when it is its turn. */
export async function* packZip(all: AsyncIterable<ToPack>): AsyncGenerator<Uint8Array> {
  yield* (await library()).packZip(all);
}

export const unzip: Unpacker = async (source, emit, options) => (await library()).unzip(source, emit, options);
