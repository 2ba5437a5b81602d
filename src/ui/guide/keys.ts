/** Keys, and how sizes may be typed. */
export const KEYS: readonly (readonly [string, string])[] = [
  ['S', 'Split the volume in hand'],
  ['N', 'New volume in unallocated space'],
  ['C', 'Copy a volume, or a whole disk, to here'],
  ['F', 'Move or copy folders of the volume in hand'],
  ['W', 'Wipe: write over what nobody wants'],
  ['G', 'Goals: fill the plan'],
  ['B', 'Make the volume in hand bigger'],
  ['A', 'Advice on the volume in hand'],
  ['↑ ↓', 'Nudge an edge that has the focus; with Shift eight times as far'],
  ['Home End', 'Put an edge to its floor, or as far as it goes'],
  ['↑ ↓', 'Move a volume that has the focus; with Alt past its neighbour'],
  ['Ctrl Enter', 'Take a volume that has the focus in hand together with others; or Ctrl and a click'],
  ['Shift', 'Held while an edge is dragged: it is drawn to nothing'],
  ['Ctrl Z, Ctrl Y', 'Undo, redo'],
  ['Ctrl K', 'Commands: everything by name, and sizes and labels as typed'],
  ['?', 'This guide'],
];

export const SIZES: readonly (readonly [string, string])[] = [
  ['60 GB', 'of 1000, as printed on boxes'],
  ['60 GiB, 60g', 'of 1024, as systems show it'],
  ['61 440 MiB', 'exact; spaces are fine'],
  ['50 %, half, 1/3', 'of the room there is'],
  ['rest, floor', 'all that is left; the least there can be'],
  ['+10 GiB', 'more than now'],
];
