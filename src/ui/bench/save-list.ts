import { listOf, type BenchDisk } from '@/state';
import { downloadText } from '../kit';

/** Saves every volume of every open disk as a row. */
export function saveList(disks: readonly BenchDisk[]): void {
  downloadText('volumes.csv', 'text/csv', listOf(disks));
}
