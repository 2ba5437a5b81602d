export { CopyDialog } from './CopyDialog';
