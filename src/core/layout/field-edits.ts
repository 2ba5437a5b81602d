/** Edits of what a volume is: its file system and how that is made, its label, letter, role and active mark. */
import { chosenFault, findKind, type Chosen } from '@/core/fs';
import { flagsFor, typeCodeFor } from '@/core/table';
import { done, labelFault, letterRefusal, replace, specFault, type Edited, type NewVolume } from './edits';
import { isMade, nameOf, volumeOf, type LaidVolume, type Layout, type VolumeId } from './layout';
import { refuse } from './refusals';

/** Makes a volume anew where it stands. What it holds is lost. */
export function formatVolume(
  layout: Layout,
  id: VolumeId,
  spec: Pick<NewVolume, 'fileSystem' | 'clusterSize' | 'format'>,
): Edited {
  const volume = volumeOf(layout, id);
  if (volume.guarded) return refuse('guarded', { volume: nameOf(volume) });
  if (volume.origin.kind === 'copy') return refuse('copy.format', { volume: nameOf(volume) });
  const { clusterSize: _old, chosen, ...rest } = volume;
  const next: LaidVolume = {
    ...rest,
    // Another kind has other choices.
    ...(chosen && spec.fileSystem === volume.fileSystem ? { chosen } : {}),
    fileSystem: spec.fileSystem,
    format: spec.format ?? 'quick',
    type: findKind(spec.fileSystem)?.mbrType(volume.length) ?? volume.type,
    ...(spec.clusterSize ? { clusterSize: spec.clusterSize } : {}),
  };
  return specFault(layout, next) ?? done(replace(layout, [next]), `Format ${nameOf(volume)}`);
}

/** Sets what is chosen for a volume that is made, or takes it back. */
export function setChosen(layout: Layout, id: VolumeId, choice: string, value: Chosen[string] | undefined): Edited {
  const volume = volumeOf(layout, id);
  if (!isMade(volume)) return refuse('kind.made-already', { volume: nameOf(volume) });
  const { [choice]: _old, ...others } = volume.chosen ?? {};
  const chosen = value === undefined ? others : { ...others, [choice]: value };
  const fault = chosenFault(findKind(volume.fileSystem)?.choices ?? [], chosen);
  if (fault) return refuse('kind.choice', { volume: nameOf(volume), fault });
  return done(replace(layout, [{ ...volume, chosen }]), `Make ${nameOf(volume)} otherwise`);
}

/** Sets the label as the file system will store it. */
export function setLabel(layout: Layout, id: VolumeId, label: string): Edited {
  const volume = volumeOf(layout, id);
  const fault = labelFault(volume.fileSystem, label);
  if (fault) return fault;
  const facts = findKind(volume.fileSystem);
  if (!facts) return refuse('label.unknown', { volume: nameOf(volume) });
  const stored = facts.normaliseLabel(label);
  const notes = stored === label ? [] : [`The label is stored as ${stored}.`];
  return done(replace(layout, [{ ...volume, label: stored }]), `Label ${stored || 'none'}`, notes);
}

/** Sets or takes the letter. */
export function setLetter(layout: Layout, id: VolumeId, letter: string | undefined): Edited {
  const volume = volumeOf(layout, id);
  const refused = letterRefusal(layout, id, letter);
  if (refused) return refused;
  const { letter: _old, ...rest } = volume;
  return done(replace(layout, [letter ? { ...rest, letter } : rest]), letter ? `Letter ${letter}` : 'No letter');
}

/** Sets the role, which decides colour and guard, not content. */
export function setRole(layout: Layout, id: VolumeId, role: LaidVolume['role']): Edited {
  const volume = volumeOf(layout, id);
  const next = volume.origin.kind === 'new' ? roleTyped(volume, role) : { ...volume, role };
  return done(replace(layout, [next]), `Role ${role}`);
}

/** A new volume's type follows its role. */
function roleTyped(volume: LaidVolume, role: LaidVolume['role']): LaidVolume {
  const usual = findKind(volume.fileSystem)?.mbrType(volume.length) ?? volume.type;
  return { ...volume, role, type: typeCodeFor(role, usual), flags: flagsFor(role) };
}

/** Marks the volume the machine starts from, the only one of its disk. */
export function setActive(layout: Layout, id: VolumeId, active: boolean): Edited {
  const volume = volumeOf(layout, id);
  if (layout.table !== 'mbr') return refuse('table.not-mbr', { what: 'an active mark' });
  const changed = layout.volumes
    .filter((v) => v.active || v.id === id)
    .map((v) => ({ ...v, active: v.id === id && active }));
  return done(replace(layout, changed), active ? `Make ${nameOf(volume)} active` : `Make ${nameOf(volume)} inactive`);
}
