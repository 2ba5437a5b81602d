import { listOf, show, type BenchDisk } from '@/state';
import { downloadText } from '../kit';

/** Saves every volume of every open disk as a row. */
export function saveList(disks: readonly BenchDisk[]): Promise<void> {
  return listOf(disks).then((rows) => downloadText('volumes.csv', 'text/csv', rows), show);
}
