/** Whether there is room for what transfers bring. */
import type { CoreError } from '@/core/errors';
import { findKind } from '@/core/fs';
import type { SurveyedVolume } from '@/core/inspect';
import { isMade, nameOf, type LaidVolume } from '@/core/layout';
import { refused } from './refused';
import type { TransferContext, Transferred } from './transfers';

/** What has come to a volume must fit into it. @throws CoreError `plan.refused` with the size that would do */
export function assertRoom(all: readonly Transferred[], { survey, kept }: TransferContext): void {
  for (const id of new Set(all.map((t) => t.to))) {
    const own = all.filter((t) => t.to === id);
    const { target } = own[0]!;
    const now = kept.find((k) => k.planned.id === id && !k.planned.format)?.now;
    const first = own.filter((t) => t.when === 'first');
    const needs = (list: readonly Transferred[]): number =>
      list.reduce((sum, t) => sum + (t.adopts ? t.facts.structures : t.facts.needs), 0);
    const held = own.reduce((sum, t) => sum + (t.adopts ? t.source.info!.used : 0), 0);
    if (now && first.length > 0 && needs(first) > now.info!.free) throw full(first, needs(first), now.info!.free);
    const free = freeOn(target, now, survey.sectorSize) - held - growthLoses(own, now);
    if (needs(own) > free) throw full(own, needs(own), free);
    const wanted = own.reduce((sum, t) => sum + t.facts.files + t.facts.folders, 0);
    const entries = entriesFreeOn(
      target,
      now,
      survey.sectorSize,
      own.some((t) => t.adopts),
    );
    if (wanted > entries)
      throw refused('transfer.entries', { volume: nameOf(target), wanted, free: Math.max(0, entries), chosen: !now });
  }
  for (const { home, source } of all) {
    if (!home) continue;
    const { planned, back } = home;
    const { needs, bytes } = back.facts;
    const now = isMade(planned) ? undefined : source;
    // On a volume that stays, what is taken away makes its own room; what it needs beside its bytes may differ.
    const wanted = now ? needs - bytes : needs;
    const free = freeOn(planned, now, survey.sectorSize);
    if (wanted > free) throw refused('transfer.back-room', { volume: nameOf(planned), needs, missing: wanted - free });
  }
}

function freeOn(target: LaidVolume, now: SurveyedVolume | undefined, sectorSize: number): number {
  if (now) return target.length - (now.length - now.info!.free);
  if (target.origin.kind === 'copy') return target.length - target.origin.used;
  const { holds } = findKind(target.fileSystem)!;
  const clusterSize = clusterSizeOn(target, sectorSize);
  return target.length - holds.structures(target.length, sectorSize, clusterSize, target.chosen);
}

const clusterSizeOn = ({ clusterSize, fileSystem, length }: LaidVolume, sectorSize: number): number =>
  clusterSize ?? findKind(fileSystem)!.defaultClusterSize(length, sectorSize) ?? 0;

/** Bytes that a volume takes for itself as it grows over others, beyond what they took: for more files, and at most. */
function growthLoses(own: readonly Transferred[], now: SurveyedVolume | undefined): number {
  const info = now?.info;
  const taken = own.filter((t) => t.adopts);
  if (!info || taken.length === 0) return 0;
  const lost = findKind(info.kind)!.holds.adoptionLoses?.(info.clusterSize) ?? 0;
  const { entries } = info;
  if (!entries) return lost;
  const more = (own[0]!.target.length / now.length - 1) * entries.total;
  const had = taken.reduce((sum, t) => sum + (t.source.info!.entries?.total ?? 0), 0);
  return lost + Math.max(0, more - had) * entries.each;
}

/** How many files and folders can come to it, as far as that has an end. */
function entriesFreeOn(
  target: LaidVolume,
  now: SurveyedVolume | undefined,
  sectorSize: number,
  grows: boolean,
): number {
  if (target.origin.kind === 'copy') return Infinity;
  if (!now) {
    const { holds } = findKind(target.fileSystem)!;
    return holds.entries?.(target.length, clusterSizeOn(target, sectorSize), target.chosen) ?? Infinity;
  }
  const { entries } = now.info!;
  if (!entries) return Infinity;
  // As the volume gets smaller, so do these; larger it is by then only where files are taken over with their room.
  const more = target.length / now.length - 1;
  return entries.free + (grows ? more : Math.min(0, more)) * entries.total;
}

function full([first]: readonly Transferred[], needs: number, free: number): CoreError {
  const { target, when } = first!;
  const help = when === 'first' ? 'later' : needs - free;
  return refused('transfer.room', { volume: nameOf(target), needs, free: Math.max(0, free), help });
}
