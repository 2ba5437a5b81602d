export { WipeDialog } from './WipeDialog';
export { WipeList } from './WipeList';
