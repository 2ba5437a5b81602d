export { WaysView } from './WaysView';
