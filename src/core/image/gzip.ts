/**
 * gzip files (RFC 1952), of one member or several in a row; each member's checksum and length are compared. The library is
 * loaded when there is one.
 */
import { packedPieces, type Unpacker } from './unpack';

export const gunzip: Unpacker = async (source, emit, options) => {
  const { Inflate } = await import('pako');
  const inflate = new Inflate();
  const ready: Uint8Array[] = [];
  inflate.onData = (chunk) => void ready.push(chunk as Uint8Array);
  for await (const piece of packedPieces(source, options)) {
    inflate.push(piece, false);
    if (inflate.err) throw new Error(inflate.msg || 'it is damaged');
    for (const bytes of ready.splice(0)) await emit(bytes);
  }
  if (!inflate.ended) throw new Error('it is cut short');
};
