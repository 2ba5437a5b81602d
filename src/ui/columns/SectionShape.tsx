import { isMade, nameOf, type VolumeId } from '@/core/layout';
import { titleOf, yInSection, type Section, type UsedOf } from '@/core/report';
import { ROLE_WORDS, roleColours, useSizes } from '../kit';
import { useGesture } from '@use-gesture/react';
import { memo, useRef, type ReactNode } from 'react';
import styles from './columns.module.css';

interface Props {
  readonly section: Section;
  readonly usedOf: UsedOf;
  readonly x: number;
  readonly width: number;
  readonly planned: boolean;
  readonly done?: boolean | undefined;
  readonly selected?: boolean;
  readonly movable?: boolean;
  /** The same object for every section and every drawing, so that those that stay the same are not drawn again. */
  readonly actions?: SectionActions | undefined;
}

/** What can be done to a section. Wishes of one drag carry the same gesture and the start there was when it began. */
export interface SectionActions {
  /** Together: beside what is in hand already. */
  readonly select: (id: VolumeId, together: boolean) => void;
  readonly drag: (id: VolumeId, from: number, pixels: number, gesture: string) => void;
  readonly nudge: (id: VolumeId, steps: number) => void;
  readonly pass: (id: VolumeId, neighbours: 1 | -1) => void;
}

type Modified = Pick<React.MouseEvent, 'ctrlKey' | 'metaKey' | 'shiftKey'>;
const isTogether = (e: Modified | undefined): boolean => e !== undefined && (e.ctrlKey || e.metaKey || e.shiftKey);

const TALL = 84;
const MEDIUM = 44;

function sameProps(a: Props, b: Props): boolean {
  const { section: s, ...was } = a;
  const { section: t, ...is } = b;
  if (s.y !== t.y || s.height !== t.height || s.start !== t.start || s.end !== t.end || s.volume !== t.volume)
    return false;
  return (Object.keys(is) as (keyof typeof is)[]).every((key) => was[key] === is[key]);
}

/** A volume as a section of a column, filled from its top to what is in use. */
export const SectionShape = memo(function SectionShape(props: Props) {
  const { section, usedOf, x, width, planned, done, selected, movable, actions } = props;
  const size = useSizes();
  const volume = section.volume!;
  const { y, height } = section;
  const used = usedOf(volume);
  const isNew = !done && (isMade(volume) || volume.origin.kind === 'copy');
  const fillEnd = used === undefined ? y + height : used === 0 ? y : yInSection(section, section.start + used);
  const { full, pale } = roleColours(volume.role);
  const clip = `${planned ? 'p' : 'n'}-${volume.id}`;
  const onSelect = actions && ((e?: Modified): void => actions.select(volume.id, isTogether(e)));
  const begin = useRef({ start: 0, gesture: '' });
  const bind = useGesture(
    {
      onDragStart: () => {
        begin.current = { start: volume.start, gesture: `move ${crypto.randomUUID()}` };
        onSelect?.();
      },
      onDrag: ({ movement: [, dy], tap }) => {
        if (!tap) actions?.drag(volume.id, begin.current.start, dy, begin.current.gesture);
      },
    },
    { drag: { filterTaps: true, threshold: 6, enabled: movable === true } },
  );
  const onKeyDown = (e: React.KeyboardEvent): void => {
    if (e.key === 'Enter') return onSelect?.(e);
    const way = e.key === 'ArrowUp' ? -1 : e.key === 'ArrowDown' ? 1 : undefined;
    if (way === undefined || !movable || !actions) return;
    e.preventDefault();
    if (e.altKey) actions.pass(volume.id, way);
    else actions.nudge(volume.id, way * (e.shiftKey ? 8 : 1));
  };
  const label = `${nameOf(volume)}, ${ROLE_WORDS[volume.role]}, ${size(volume.length)}`;
  return (
    <g
      {...bind()}
      className={movable ? `${styles.section} ${styles.movable}` : onSelect ? styles.section : undefined}
      onClick={onSelect}
      {...(onSelect
        ? {
            role: 'button',
            tabIndex: 0,
            'aria-label': label,
            'aria-pressed': selected,
            onKeyDown,
          }
        : {})}
    >
      <clipPath id={clip}>
        <rect x={x} y={y} width={width} height={height} rx={4} />
      </clipPath>
      <g clipPath={`url(#${clip})`}>
        <rect x={x} y={y} width={width} height={height} fill={pale} />
        <rect x={x} y={y} width={width} height={Math.max(0, fillEnd - y)} fill={full} />
      </g>
      <rect
        x={x + 0.5}
        y={y + 0.5}
        width={width - 1}
        height={Math.max(1, height - 1)}
        rx={4}
        fill="none"
        stroke={selected ? 'var(--ink)' : full}
        strokeWidth={selected ? 2 : 1}
        strokeDasharray={isNew ? '6 4' : undefined}
      />
      <SectionText section={section} used={used} fillEnd={fillEnd} x={x} width={width} planned={planned} />
    </g>
  );
}, sameProps);

/** Whether a name and a role stand beside each other without touching; letters are taken for as wide as most are. */
function roomFor(name: string, role: string, width: number): boolean {
  return name.length * 7.2 + role.length * 6.6 <= width;
}

interface TextProps {
  readonly section: Section;
  readonly used: number | undefined;
  readonly fillEnd: number;
  readonly planned: boolean;
  readonly x: number;
  readonly width: number;
}

/** What most letters of a small section take at the most, in pixels. */
const LETTER = 7.5;
const SMALL_LETTER = 6.3;

/** Whether text of a small section has room beside a gap. */
const fits = (text: string, width: number): boolean => text.length * LETTER < width - 30;

/** As much of a name as there is room for. */
function cut(name: string, room: number): string {
  const most = Math.max(1, Math.floor(room / LETTER));
  return name.length > most ? `${name.slice(0, most - 1)}…` : name;
}

/** Text is light where it stands on the full colour, ink where it stands on the pale one. */
function SectionText({ section, used, fillEnd, planned, x, width }: TextProps) {
  const size = useSizes();
  const volume = section.volume!;
  const { y, height } = section;
  const on = (baseline: number): string => (baseline - 4 <= fillEnd ? 'var(--on-role)' : 'var(--ink)');
  /** Words on a line: where what is in use ends within them they are light above and dark below. */
  const toned = (baseline: number, words: (fill: string) => ReactNode): ReactNode => {
    if (fillEnd <= baseline - 10) return words('var(--ink)');
    if (fillEnd >= baseline + 3) return words('var(--on-role)');
    const clip = `${planned ? 'p' : 'n'}-words-${volume.id}`;
    return (
      <>
        <clipPath id={`${clip}-full`}>
          <rect x={x} y={y} width={width} height={fillEnd - y} />
        </clipPath>
        <clipPath id={`${clip}-pale`}>
          <rect x={x} y={fillEnd} width={width} height={y + height - fillEnd} />
        </clipPath>
        <g clipPath={`url(#${clip}-full)`}>{words('var(--on-role)')}</g>
        <g clipPath={`url(#${clip}-pale)`} aria-hidden>
          {words('var(--ink)')}
        </g>
      </>
    );
  };
  const title = titleOf(volume);
  const name = volume.label || (volume.letter ? '' : volume.origin.kind === 'new' ? 'New volume' : 'No label');
  if (height < MEDIUM) {
    const middle = y + height / 2 + 4;
    const shown = [volume.letter, name].filter(Boolean).join('  ') || ROLE_WORDS[volume.role];
    if (height < 13) return null;
    const bytes = size(volume.length);
    const more = `${title} · ${bytes}`;
    const words = (fill: string) => (
      <g className={styles.small} fill={fill}>
        <text x={x + 10} y={middle} className={styles.strong}>
          {cut(shown, width - 26 - bytes.length * LETTER)}
        </text>
        <text x={x + width - 10} y={middle} textAnchor="end">
          {fits(`${shown}${more}`, width) ? more : bytes}
        </text>
      </g>
    );
    return toned(middle, words);
  }
  const top = y + 26;
  const chip = volume.letter ? 32 : 0;
  const state = used === undefined ? 'kept as it is' : used === 0 ? 'empty' : `${size(used)} in use`;
  const role = volume.logical ? `${ROLE_WORDS[volume.role]}, logical` : ROLE_WORDS[volume.role];
  const headroom = used === undefined ? 0 : volume.length - used;
  const line = (baseline: number, className: string | undefined, text: string): ReactNode =>
    toned(baseline, (fill) => (
      <text x={x + 10} y={baseline} className={className} fill={fill}>
        {text}
      </text>
    ));
  const short = `${size(volume.length)} ${title}`;
  // The last line goes below where what is in use ends, if that would go through it.
  const crossed = fillEnd > y + 61 && fillEnd < y + 74 && fillEnd + 17 <= y + height;
  const stateAt = crossed ? fillEnd + 13 : y + 71;
  return (
    <g>
      {volume.letter ? (
        <>
          <rect
            x={x + 10}
            y={y + 10}
            width={24}
            height={22}
            rx={4}
            fill={fillEnd > y + 20 ? 'rgba(255,255,255,0.22)' : roleColours(volume.role).full}
          />
          <text x={x + 22} y={top} textAnchor="middle" className={styles.letter} fill="var(--on-role)">
            {volume.letter}
          </text>
        </>
      ) : null}
      <text x={x + 10 + chip} y={top} className={styles.name} fill={on(top)}>
        {cut(name, width - 20 - chip)}
      </text>
      {roomFor(name, role, width - 30 - chip) ? (
        <text x={x + width - 10} y={top} textAnchor="end" className={styles.small} fill={on(top)}>
          {role}
        </text>
      ) : null}
      {height >= TALL ? (
        <>
          {line(y + 52, styles.size, size(volume.length))}
          {line(
            stateAt,
            styles.small,
            `${title}, ${state}`.length * SMALL_LETTER <= width - 20 ? `${title}, ${state}` : state,
          )}
        </>
      ) : (
        line(y + 42, styles.small, roomFor(`${short}, ${state}`, '', width - 20) ? `${short}, ${state}` : short)
      )}
      {height >= 118 && headroom > 0 && used !== 0 && y + height - fillEnd > 22 ? (
        <text x={x + 10} y={y + height - 10} className={styles.small} fill="var(--ink)">
          {`${size(headroom)} headroom`}
        </text>
      ) : null}
    </g>
  );
}
