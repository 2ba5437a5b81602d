'use client';

import { isGoing, useBench, type RunView } from '@/state';
import { useEffect } from 'react';
import { noticesAre } from '../kit';

const NAME = 'Ullager';

/** The run that a glance at the tab is about: one that goes on, else one that waits for a hand, else one that is over. */
function useTold(): { readonly name: string; readonly run: RunView } | undefined {
  const runs = useBench((s) => s.runs);
  const disks = useBench((s) => s.disks);
  const currentId = useBench((s) => s.currentId);
  const rank = (run: RunView): number => (isGoing(run) ? 0 : run.state === 'finished' ? 2 : 1);
  const [first] = Object.entries(runs)
    .filter(([id, { state }]) => state !== 'finished' || id === currentId)
    .sort(([, a], [, b]) => rank(a) - rank(b));
  const name = first && disks.find((d) => d.stored.id === first[0])?.stored.name;
  return first && name !== undefined ? { name, run: first[1] } : undefined;
}

const stateWords = ({ state, share, certificate }: RunView): string => {
  if (state === 'finished') return certificate?.outcome === 'proven' ? 'Proven' : 'Finished';
  if (state === 'failed') return 'Stopped by a fault';
  return state === 'stopped' ? 'Paused' : `${Math.floor(share * 100)} %`;
};

/** Says how a run is where the page itself is not seen: in its title and icon, and by a notice when it ends. Keeps the machine awake. */
export function RunSigns() {
  const told = useTold();
  const words = told ? stateWords(told.run) : undefined;
  const name = told?.name;
  const going = useBench((s) => Object.values(s.runs).some(isGoing));
  const state = told?.run.state;
  const part = told && state !== 'finished' ? Math.round(told.run.share * 20) / 20 : undefined;
  useEffect(() => {
    document.title = words === undefined ? NAME : `${words} · ${name} · ${NAME}`;
  }, [words, name]);
  useEffect(() => {
    const link = document.querySelector<HTMLLinkElement>('link[rel="icon"]');
    if (link) link.href = state === undefined ? '/icon.svg' : iconOf(state, part);
  }, [state, part]);
  useAwake(going);
  useNotice(name, words, state);
  return null;
}

/** A cask that fills: the share of a run that is over, a tick at the end, a bar where it stands still. */
function iconOf(state: RunView['state'], part = 1): string {
  const colour = state === 'failed' ? '#AD3F27' : '#14606A';
  const fill = `<rect x="6" y="${28 - 24 * part}" width="20" height="${24 * part}" fill="${colour}"/>`;
  const tick = '<path d="M10 16l4 5 8-10" stroke="#FCFBF8" stroke-width="4" fill="none"/>';
  const bars = '<path d="M13 11v10M19 11v10" stroke="#1E2A2F" stroke-width="3"/>';
  const mark = state === 'finished' ? tick : state === 'stopped' || state === 'failed' ? bars : '';
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32"><rect x="5" y="3" width="22" height="26" rx="4" fill="#FCFBF8" stroke="${colour}" stroke-width="2"/>${fill}${mark}</svg>`;
  return `data:image/svg+xml,${encodeURIComponent(svg)}`;
}

/** Asks the machine not to sleep while something is being written; where it can't be asked, a run is safe all the same. */
function useAwake(going: boolean): void {
  useEffect(() => {
    if (!going || !('wakeLock' in navigator)) return;
    let lock: WakeLockSentinel | undefined;
    let over = false;
    const hold = async (): Promise<void> => {
      if (document.visibilityState !== 'visible') return;
      const held = await navigator.wakeLock.request('screen').catch(() => undefined);
      if (over) void held?.release();
      else lock = held;
    };
    void hold();
    // It is let go whenever the page is hidden.
    document.addEventListener('visibilitychange', hold);
    return () => {
      over = true;
      document.removeEventListener('visibilitychange', hold);
      void lock?.release();
    };
  }, [going]);
}

/** Tells that a run has ended, where the person allowed that and is looking elsewhere. */
function useNotice(name: string | undefined, words: string | undefined, state: RunView['state'] | undefined): void {
  const ended = state === 'finished' || state === 'failed' ? words : undefined;
  useEffect(() => {
    if (ended === undefined || !document.hidden || noticesAre() !== 'granted') return;
    new Notification(`${name}: ${ended}`, { tag: 'ullager-run', icon: '/icon.svg' });
  }, [ended, name]);
}
