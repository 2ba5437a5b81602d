/** Carrying a disk of the shelf by hand to where something of it shall go. */
import type { DragEvent } from 'react';

const KIND = 'application/x-ullager-disk';

/** Takes a disk up. */
export function carryDisk(event: DragEvent, id: string): void {
  event.dataTransfer.setData(KIND, id);
  event.dataTransfer.effectAllowed = 'copy';
}

/** Whether what hovers is a disk of the shelf; it may be let go here then. */
export function hoversDisk(event: DragEvent): boolean {
  if (!event.dataTransfer.types.includes(KIND)) return false;
  event.preventDefault();
  event.stopPropagation();
  event.dataTransfer.dropEffect = 'copy';
  return true;
}

/** The disk that was let go, if it is one. */
export function droppedDisk(event: DragEvent): string | undefined {
  const id = event.dataTransfer.getData(KIND);
  if (!id) return undefined;
  event.preventDefault();
  event.stopPropagation();
  return id;
}
