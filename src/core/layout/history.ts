/** Undo and redo as a stack of values: every state is whole, so going back is picking one. */

/** A state and the edit that led on from it, or back to it. */
interface Turn<T> {
  readonly state: T;
  readonly name: string;
  /** Edits in a row with the same gesture count as one. */
  readonly gesture?: string;
}

/** A history of states, plain data. A turn of the past holds the state before its edit, one of the future that after. */
export interface History<T> {
  readonly past: readonly Turn<T>[];
  readonly present: T;
  readonly future: readonly Turn<T>[];
}

/** More than anybody goes back one by one. */
const LIMIT = 200;

export function beginHistory<T>(present: T): History<T> {
  return { past: [], present, future: [] };
}

/** Adds a state. Edits of one gesture, a drag, are undone as one and keep the last one's name. */
export function record<T>(history: History<T>, state: T, name: string, gesture?: string): History<T> {
  const last = history.past.at(-1);
  const merged = gesture !== undefined && last?.gesture === gesture;
  const before = merged ? history.past.slice(0, -1) : history.past;
  const turn: Turn<T> = { state: merged ? last.state : history.present, name, ...(gesture ? { gesture } : {}) };
  return { past: shortened([...before, turn]), present: state, future: [] };
}

/** The oldest turns but the very first are left out where there are too many: the beginning is always reached. */
function shortened<T>(past: readonly Turn<T>[]): readonly Turn<T>[] {
  return past.length <= LIMIT ? past : [past[0]!, ...past.slice(1 - LIMIT)];
}

export function undo<T>(history: History<T>): History<T> {
  const last = history.past.at(-1);
  if (!last) return history;
  return {
    past: history.past.slice(0, -1),
    present: last.state,
    future: [{ state: history.present, name: last.name }, ...history.future],
  };
}

export function redo<T>(history: History<T>): History<T> {
  const next = history.future[0];
  if (!next) return history;
  return {
    past: [...history.past, { state: history.present, name: next.name }],
    present: next.state,
    future: history.future.slice(1),
  };
}
