export { GoalPicker } from './GoalPicker';
