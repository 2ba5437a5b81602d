/** The goals there are, how they can be tuned, and what comes of one. */
import type { Layout } from '@/core/layout';
import type { Purpose } from './purposes';

export const GOALS = [
  'system-data',
  'system-second-data',
  'system-root-swap-data',
  'equal',
  'purposes',
  'one',
] as const;
export type GoalKind = (typeof GOALS)[number];

export const GOAL_WORDS: Readonly<Record<GoalKind, { title: string; detail: string }>> = {
  'system-data': {
    title: 'System and data',
    detail: 'The system keeps what it needs and room to grow, the rest is for data.',
  },
  'system-second-data': {
    title: 'System, second system, data',
    detail: 'Room for another system beside the first, and data that both can reach.',
  },
  'system-root-swap-data': {
    title: 'System, root and swap, data',
    detail: 'A system of the other family beside the first: its root in ext4, its swap, and data that both can reach.',
  },
  equal: { title: 'Equal shares', detail: 'The same for each; what is there stays in the first.' },
  purposes: { title: 'One volume per purpose', detail: 'What is there stays, and each use gets a volume it can read.' },
  one: { title: 'Everything in one', detail: 'The other volumes go, the first takes their place.' },
};

/** What can be tuned. Left out, it is proposed. */
export interface GoalTuning {
  /** Bytes the first volume keeps. */
  readonly keep?: number;
  /** Bytes of the second system. */
  readonly second?: number;
  /** Volumes of an equal division, the first included. */
  readonly count?: number;
  readonly purposes?: readonly Purpose[];
}

/** A filled plan with the reasons for its sizes, or why there is none. */
export type Proposal =
  | {
      readonly ok: true;
      readonly layout: Layout;
      readonly name: string;
      readonly why: readonly string[];
      readonly notes: readonly string[];
      /** The tuning as it was taken. */
      readonly tuning: GoalTuning;
    }
  | { readonly ok: false; readonly reason: string };
