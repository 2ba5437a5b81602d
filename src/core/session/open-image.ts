/** From the bytes of a file to the disk they are: container, then sector size. */
import type { Finding } from '@/core/errors';
import { ImageDevice, openContainer, type ByteSource, type ContainerOptions } from '@/core/image';
import { detectSectorSize, mostBytesFor } from '@/core/inspect';

/** How an image is to be opened. */
export interface OpenImageHow extends Pick<ContainerOptions, 'beside' | 'spill'> {
  /** Which file of an archive it is, where it holds several. */
  readonly inside?: string | undefined;
  /** 512 or 4096; found out when left out. */
  readonly sectorSize?: number | undefined;
  readonly signal?: AbortSignal;
  /** Told of the bytes unpacked so far, and of all of them. */
  readonly progress?: (done: number, total: number) => void;
}

/** An image, and whether its file is a container and not the disk's bytes themselves. */
export interface OpenedDevice {
  readonly device: ImageDevice;
  readonly packed: boolean;
  /** What is to be said of the file, beside what the disk in it holds. */
  readonly remarks: readonly Finding[];
}

/** Opens what a file holds; nothing is written. @throws CoreError `image.*` */
export async function openImageDevice(source: ByteSource, how: OpenImageHow = {}): Promise<OpenedDevice> {
  const { sectorSize, ...options } = how;
  const bytes = await openContainer(source, { ...options, mostBytes: mostBytesFor });
  const told = sectorSize ?? bytes.sectorSize ?? (await detectSectorSize(new ImageDevice(bytes, 512)));
  const device = new ImageDevice(bytes, told);
  return { device, packed: bytes !== source, remarks: bytes.remarks ?? [] };
}
