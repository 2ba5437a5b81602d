/** Undo and redo as a stack of values: every state is whole, so going back is picking one. */

/** A history of states; `names[i]` is the edit that led from state i to state i + 1. Plain data. */
export interface History<T> {
  readonly past: readonly { readonly state: T; readonly name: string }[];
  readonly present: T;
  readonly future: readonly { readonly state: T; readonly name: string }[];
}

const LIMIT = 200;

export function beginHistory<T>(present: T): History<T> {
  return { past: [], present, future: [] };
}

/** Adds a state; edits of the same `merge` key in a row (a drag) count as one. */
export function record<T>(history: History<T>, state: T, name: string, merge = false): History<T> {
  const last = history.past.at(-1);
  if (merge && last?.name === name && history.future.length === 0) return { ...history, present: state };
  return { past: [...history.past, { state: history.present, name }].slice(-LIMIT), present: state, future: [] };
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
