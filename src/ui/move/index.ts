export { FolderDialog } from './FolderDialog';
export { MergeDialog } from './MergeDialog';
export { TakeDialog } from './TakeDialog';
export { TransferList } from './TransferList';
