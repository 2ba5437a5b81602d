export { Review } from './Review';
