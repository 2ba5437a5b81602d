/** The first file in a zip that can be a disk: the first that is not a folder. */
import { Unzip, UnzipInflate } from 'fflate';

/** Takes what is to be done with unpacked bytes and gives what takes packed ones. */
export function unzipping(emit: (bytes: Uint8Array) => void): (chunk: Uint8Array, last: boolean) => void {
  let taken = false;
  let whole = false;
  const unzip = new Unzip((file) => {
    if (taken || file.name.endsWith('/')) return;
    taken = true;
    file.ondata = (error, bytes, final) => {
      if (error) throw error;
      emit(bytes);
      whole ||= final;
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  return (chunk, last) => {
    unzip.push(chunk, last);
    if (last && !whole) throw new Error(taken ? 'it is cut short' : 'there is no file in it');
  };
}
