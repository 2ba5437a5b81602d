export { TableMenu } from './TableMenu';
