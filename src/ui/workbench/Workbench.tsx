'use client';

import { openBench, openFiles, redoEdit, sendForBench, undoEdit, useBench, useCurrent, type PickedFile } from '@/state';
import { Alert, ConfigProvider } from 'antd';
import { useEffect, useMemo, useState, type DragEvent } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Bench } from '../bench';
import { pressEarly } from '../early-press';
import { antTheme, fetchLater, registerSoon, useOnce } from '../kit';
import { Commands } from './Commands';
import { Header } from './Header';
import { Notices } from './Notices';
import { RunSigns } from './RunSigns';
import { FileChoice, Help, JobDialog, Stage } from './stages';
import { useDark } from './useDark';
import { useStill } from './useStill';
import styles from './workbench.module.css';

let opened = false;

// Before the page is taken over by its scripts, which takes as long as what is sent for.
if (typeof window !== 'undefined') sendForBench();

const NOT_IN_WORDS = {
  enableOnFormTags: ['slider', 'menuitem', 'menuitemcheckbox', 'radio', 'option'],
} as const;

/** The whole application in one page: header, shelf, and the stage in hand. */
export function Workbench() {
  const dark = useDark();
  const [dialog, setDialog] = useState<'help' | 'commands'>();
  const fatal = useBench((s) => s.fatal);
  const still = useStill();
  const jobOnce = useOnce(useBench((s) => s.offered !== undefined));
  const choosingOnce = useOnce(useBench((s) => s.choosing !== undefined));
  const helpOnce = useOnce(dialog === 'help');
  const theme = useMemo(() => antTheme(dark, still), [dark, still]);

  useEffect(() => {
    if (opened) return;
    opened = true;
    pressEarly();
    void openBench();
    registerSoon();
  }, []);
  const ready = useBench((s) => s.ready);
  useEffect(() => {
    if (ready) fetchLater();
  }, [ready]);
  useHotkeys('mod+k', (e) => (e.preventDefault(), setDialog('commands')), { enableOnFormTags: true });
  useEffect(() => {
    // Where “?” is on the keyboard differs from layout to layout, so the character is asked and not the key.
    const help = (e: KeyboardEvent): void => {
      const typing = e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement;
      if (e.key === '?' && !typing) setDialog('help');
    };
    window.addEventListener('keydown', help);
    return () => window.removeEventListener('keydown', help);
  }, []);
  // Asked for when they happen: the whole page would else be drawn again at every edit.
  // Where words are typed the keys are the field's own; an edge that was dragged has the focus and no words.
  useHotkeys('mod+z', () => onCurrent(undoEdit), NOT_IN_WORDS);
  useHotkeys('mod+y, mod+shift+z', () => onCurrent(redoEdit), NOT_IN_WORDS);

  if (fatal) return <NoStorage reason={fatal} theme={theme} />;
  return (
    <ConfigProvider theme={theme}>
      <div className={styles.app} onDragOver={(e) => e.preventDefault()} onDrop={(e) => void drop(e)}>
        <RunSigns />
        <Header onOpen={setDialog} />
        <Notices />
        <StageInHand />
        {choosingOnce ? <FileChoice /> : null}
        {jobOnce ? <JobDialog /> : null}
        {helpOnce ? <Help open={dialog === 'help'} onClose={() => setDialog(undefined)} /> : null}
        <Commands open={dialog === 'commands'} onClose={() => setDialog(undefined)} onHelp={() => setDialog('help')} />
      </div>
    </ConfigProvider>
  );
}

/** Where nothing can be kept nothing is begun, and that is said at once. */
function NoStorage({ reason, theme }: { readonly reason: string; readonly theme: ReturnType<typeof antTheme> }) {
  return (
    <ConfigProvider theme={theme}>
      <main className={styles.notOpen}>
        <Alert type="error" showIcon title="The bench can’t be opened here." description={reason} />
      </main>
    </ConfigProvider>
  );
}

function onCurrent(act: (id: string) => void): void {
  const { currentId } = useBench.getState();
  if (currentId !== undefined) act(currentId);
}

function StageInHand() {
  const stage = useBench((s) => s.stage);
  const current = useCurrent();
  if (stage !== 'bench' && current) return <Stage stage={stage} current={current} />;
  return (
    <main className={styles.main}>
      <Bench />
    </main>
  );
}

type Dropped = DataTransferItem & { getAsFileSystemHandle?(): Promise<FileSystemHandle | null> };

/** Takes dropped files, each with a handle that outlives the page where the browser has them. */
async function drop(event: DragEvent): Promise<void> {
  event.preventDefault();
  const items = [...event.dataTransfer.items].filter((item) => item.kind === 'file') as Dropped[];
  // All of them are asked for before any is waited for: what was dropped is gone by then.
  const dropped = items.map((item) => ({ file: item.getAsFile(), handle: item.getAsFileSystemHandle?.() }));
  const picked: PickedFile[] = [];
  for (const { file, handle } of dropped) {
    const kept = await handle;
    if (file) picked.push({ file, handle: kept?.kind === 'file' ? (kept as FileSystemFileHandle) : undefined });
  }
  await openFiles(picked);
}
