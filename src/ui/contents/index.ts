export { Contents } from './Contents';
