/** The guide by tasks: what a technician comes with, and the moves to it. The page shows it, and docs/guide.md is made of it. */

export interface Task {
  readonly title: string;
  /** When somebody has this task, in their own words. */
  readonly when: string;
  readonly moves: readonly string[];
  /** What to know about it. */
  readonly note?: string;
  /** A picture in docs/screenshots. */
  readonly picture?: string;
}

export const TASKS: readonly Task[] = [
  {
    title: 'Divide a stick or a card',
    when: 'One volume is to become two, with everything on it kept.',
    moves: [
      'On the bench, press the disk; then Divide.',
      'Press Split (S), and type the size and the label of the new volume; or drag the edge between the two.',
      'Review the work order, and run it.',
    ],
    note: 'The dashed red line is the floor: nothing can be made smaller than that. “What holds the floor” tells why.',
    picture: 'divide',
  },
  {
    title: 'System and data on one SSD',
    when: 'The machine came with one large volume, and data shall survive a new system.',
    moves: [
      'Divide, then Goals (G), then “System and data”.',
      'Look at what it proposes and why; change a size where you know better.',
      'Fill the plan, review it, run it.',
    ],
    note: 'Firmware and recovery volumes are guarded and stay as they are.',
    picture: 'goals',
  },
  {
    title: 'Room for one volume from another',
    when: 'C is full, and D behind it has room.',
    moves: [
      'Take C in hand, then “Make bigger…” (B), and say by how much.',
      'The ways stand side by side with what each carries and takes; choose one.',
      'Review, run.',
    ],
    note: 'What lies between is moved. Where nothing is unallocated, volumes are made smaller for a time by themselves.',
    picture: 'ways',
  },
  {
    title: 'Several volumes at once',
    when: 'A card gets one volume for each purpose.',
    moves: [
      'Take the volume in hand, press the button beside Split, and say how many and how large; “rest” shares what is left.',
      'Or take several in hand with Ctrl and a click, and give them equal shares.',
    ],
  },
  {
    title: 'Find out why it can’t be smaller',
    when: 'It offers far less than what is free.',
    moves: [
      'Take the volume in hand, then “What holds the floor”: the files and structures past the planned end, largest first.',
      'Everything that can be moved is moved; what is told there is what can’t be.',
    ],
    picture: 'floor',
  },
  {
    title: 'Folders to a volume of their own',
    when: 'The pictures shall leave the system volume, and programs shall still find them.',
    moves: [
      'Take the system volume in hand, then “Move folders…” (F), and pick them.',
      'Give them a volume of their own, and leave a link where they were.',
      'What the other kind can’t keep is told before; all of it is compared before anything is taken away.',
    ],
    picture: 'between',
  },
  {
    title: 'A disk onto a larger one, or a card widened',
    when: 'The old disk is too small, or begins to fail.',
    moves: [
      'Take the new disk to Divide, then “Copy…” (C), then “A whole disk”.',
      'Say how its volumes share the room: grown, or kept.',
      'Review, run. What can’t be read is left as zeros, and every file it hits is named.',
    ],
    picture: 'copy',
  },
  {
    title: 'Convert the table',
    when: 'A master boot record can’t hold the disk, or firmware wants the GUID table.',
    moves: ['Divide, then “Table…”, then convert.', 'Review tells what has to be set again before the machine starts.'],
  },
  {
    title: 'Plan for a machine that is not here',
    when: 'The customer reads off what it has.',
    moves: [
      'On the bench, “Describe a disk…”: size, table, volumes with what is in use.',
      'Divide it, run it as a rehearsal, and save the job as a file.',
      'At the machine, the runner takes that job, tells every difference, and carries it out on the real disk.',
    ],
    picture: 'describe',
  },
  {
    title: 'Save files from a damaged image',
    when: 'The system does not know the disk any more.',
    moves: [
      'Open the image. What is damaged is shown with its kind, its label and whatever can be read.',
      'Look: browse, find by name, save a file, a folder, or all of it. What can’t be read any more is listed in what was saved.',
      'Findings mends what has a second copy; Lost volumes searches what no table names any more.',
    ],
    picture: 'lost',
  },
  {
    title: 'Put everything back',
    when: 'It was not what was wanted after all.',
    moves: [
      'Before a run: undo (Ctrl Z), as often as you like.',
      'After it: Prove, then Rewind. The disk is as it was before that run, byte for byte.',
      'All runs… there, or “Runs that can be taken back…” behind a disk’s dots, takes back one after the other.',
      'The image file itself was never written.',
    ],
    picture: 'prove',
  },
];
