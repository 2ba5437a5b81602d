/** .xz files. The decoder is a module of its own kind, and large; it is loaded when it is needed. */
import { packedPieces, type Unpacker } from './unpack';

export const unxz: Unpacker = async (source, emit, options) => {
  const { XzReadableStream } = await import('xz-decompress');
  const pieces = packedPieces(source, options);
  const input = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { done, value } = await pieces.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
  });
  const reader = (new XzReadableStream(input) as ReadableStream<Uint8Array>).getReader();
  try {
    for (let next = await reader.read(); !next.done; next = await reader.read()) await emit(next.value);
  } finally {
    await pieces.return(undefined);
  }
};
