/** The stages and the dialogs of the whole page, which come after the bench. */
import { Spin } from 'antd';
import { later } from '../kit';
import styles from './workbench.module.css';

const spin = <Spin className={styles.spin} />;

export const Stage = later(() => import('./Stage').then((m) => m.Stage), spin);
export const Divide = later(() => import('../divide').then((m) => m.Divide), spin);
export const Look = later(() => import('../look').then((m) => m.Look), spin);
export const Sound = later(() => import('../sound').then((m) => m.Sound), spin);
export const Review = later(() => import('../review').then((m) => m.Review), spin);
export const Run = later(() => import('../run').then((m) => m.Run), spin);
export const Prove = later(() => import('../prove').then((m) => m.Prove), spin);
export const JobDialog = later(() => import('../papers').then((m) => m.JobDialog));
export const FileChoice = later(() => import('./FileChoice').then((m) => m.FileChoice));
export const Help = later(() => import('./Help').then((m) => m.Help));
