/**
 * What must be set again after a run, where the disk goes back: letters whose binding does not survive, and what the
 * machine starts from.
 *
 * A machine binds a letter to the disk signature and the start of a volume on a master boot record, and to the GUID of
 * the volume on a GUID table. A binding survives while those do.
 */
import { volumeNumbered, type Survey, type SurveyedVolume } from '@/core/inspect';
import { nameOf, type LaidVolume, type Layout } from '@/core/layout';

export function afterOf(survey: Survey, planned: Layout): string[] {
  return [...letterLines(survey, planned), ...startLines(survey, planned)];
}

function letterLines(survey: Survey, planned: Layout): string[] {
  const lines: string[] = [];
  for (const volume of planned.volumes) {
    if (!volume.letter) continue;
    const now = keptOf(survey, volume);
    const why = whyUnbound(survey, planned, volume, now);
    if (why)
      lines.push(
        `Set the letter ${volume.letter} for ${volume.label || nameOf(volume)} where the disk goes back: ${why}.`,
      );
  }
  return lines;
}

const keptOf = (survey: Survey, { origin }: LaidVolume): SurveyedVolume | undefined =>
  origin.kind === 'kept' ? volumeNumbered(survey, origin.number) : undefined;

/** Why the binding of a letter does not survive, or undefined when it does. */
function whyUnbound(
  survey: Survey,
  planned: Layout,
  volume: LaidVolume,
  now: SurveyedVolume | undefined,
): string | undefined {
  if (!now) return 'the volume is new, and a machine knows its volumes by table and place';
  if (planned.table !== survey.table)
    return planned.table === 'gpt'
      ? 'it was bound to the disk signature and its start, and on a GUID table to the volume’s own GUID'
      : 'it was bound to the volume’s GUID, which a master boot record does not have';
  if (planned.table === 'gpt') return volume.guid === now.guid ? undefined : 'the volume has another GUID';
  return volume.start === now.start ? undefined : 'it was bound to where the volume began, and it begins elsewhere';
}

function startLines(survey: Survey, planned: Layout): string[] {
  const lines: string[] = [];
  const starts = planned.volumes.some((v) => v.active || v.role === 'system' || v.role === 'firmware');
  if (planned.table !== survey.table && survey.table !== 'none' && starts) {
    lines.push(
      planned.table === 'gpt'
        ? 'Set the machine to start by UEFI: from a GUID table firmware starts what is on a firmware volume, not the active volume. Without one, the system’s own repair has to make it.'
        : 'Set the machine to start by BIOS (legacy): from a master boot record it starts the active volume, and the system’s own repair has to write its boot records.',
    );
  }
  const active = (volumes: readonly { active: boolean; start: number }[]): number | undefined =>
    volumes.find((v) => v.active)?.start;
  const [was, is] = [active(survey.volumes), active(planned.volumes)];
  if (planned.table === 'mbr' && survey.table === 'mbr' && was !== is && (was !== undefined || is !== undefined))
    lines.push(
      is === undefined
        ? 'No volume is active any more: the machine will not start from this disk.'
        : 'Another volume is active than before: make sure that it holds what the machine starts.',
    );
  for (const volume of planned.volumes) {
    const now = keptOf(survey, volume);
    if (now && volume.start !== now.start && (volume.role === 'system' || now.active))
      lines.push(
        planned.table === 'gpt'
          ? `${nameOf(volume)} begins elsewhere. Firmware finds it by its GUID, which stays; only boot records that name sectors would have to be mended.`
          : `${nameOf(volume)} begins elsewhere, and boot records name where a system begins: have the system’s own repair mend them.`,
      );
    const { origin } = volume;
    if (origin.kind === 'copy' && (volume.role === 'system' || volume.active))
      lines.push(
        `${nameOf(volume)} is a copy of a system: its boot records name the place it had on ${origin.diskName}. Have the system’s own repair set the machine to start from here, and take ${origin.diskName} out before the first start.`,
      );
    else if (origin.kind === 'copy' && origin.identity === 'kept')
      lines.push(
        `${nameOf(volume)} has the identity of ${origin.name} of ${origin.diskName}: do not put both into one machine.`,
      );
    if (now && volume.logical && !now.logical && (volume.role === 'system' || now.active))
      lines.push(`${nameOf(volume)} has become logical: a machine does not start from a logical volume by itself.`);
  }
  return lines;
}
