/** What is looked at, and the helpers beside it. */
import type { VolumeId } from '@/core/layout';
import * as z from 'zod';
import { db, keep } from './keeping';
import { tab } from './tab';
import { get, set, type Asking, type LookTab, type View } from './store';

const viewSchema: z.ZodType<View> = z.object({
  currentId: z.string().max(100).optional(),
  stage: z.enum(['bench', 'look', 'divide', 'review', 'run', 'prove']),
  units: z.enum(['binary', 'decimal']),
  theme: z.enum(['light', 'dark', 'system']),
});

/** Whether the person went somewhere before the stored view was read; then it is left alone. */
let wentSomewhere = false;

/** The view that was kept; one that can't be read is no view. */
export async function keptView(): Promise<Partial<View>> {
  const stored = viewSchema.safeParse(tab.carried() ?? (await db.settings.get('view'))?.value);
  return !wentSomewhere && stored.success ? stored.data : {};
}

/** Takes where the person went over a reload that only this tab knows of: one that only shows the bench keeps nothing. */
export function carryView(): void {
  if (wentSomewhere) tab.carry(viewOfNow());
}

function viewOfNow(): View {
  const { currentId, stage, units, theme } = get();
  return { currentId, stage, units, theme };
}

/** Changes what is looked at, and keeps it. */
export function look(
  view: Partial<View> & {
    selected?: VolumeId | undefined;
    also?: readonly VolumeId[];
    fresh?: VolumeId | undefined;
    tab?: LookTab;
  },
): void {
  wentSomewhere = true;
  const stays = view.stage === undefined && view.currentId === undefined;
  // Whoever takes another volume in hand lets go of the others.
  const also = 'selected' in view || !stays ? { also: [] } : {};
  set({ ...also, ...view, refusal: undefined, note: undefined, ...(stays ? {} : { asking: undefined }) });
  void keep(() => db.settings.put({ key: 'view', value: viewOfNow() }));
}

/** Opens a helper beside the plan, or closes the one that is open. */
export const ask = (asking?: Asking): void => set({ asking, refusal: undefined, note: undefined });
export const dismissProblem = (): void => set({ problem: undefined });
/** Shows why an edge stopped where it did. */
export const explain = (reason: string): void => set({ refusal: { reason } });
export const dismissRefusal = (): void => set({ refusal: undefined });
