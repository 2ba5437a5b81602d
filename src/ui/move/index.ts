export { FolderDialog } from './FolderDialog';
export { MergeDialog } from './MergeDialog';
export { TransferList } from './TransferList';
