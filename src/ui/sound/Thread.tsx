'use client';

import { PARTS, stretchOf, type ScanHit, type ScanRecord } from '@/core/health';
import type { Layout, LaidVolume } from '@/core/layout';
import { useEffect, useMemo, useRef, useState, type MouseEvent } from 'react';
import { useDrawnTheme, useSizes } from '../kit';
import { hitPlace, readWords } from './words';
import styles from './sound.module.css';

const ROWS = 44;
const PER_ROW = PARTS / ROWS;
const WIDTH = 540;
export const HEIGHT = 616;
const PITCH = HEIGHT / ROWS;
/** How much of a row's pitch the thread takes where the disk was fastest, and where it was slowest. */
const [THICKEST, THINNEST] = [0.72, 0.12];
const NEAR = 7;

interface Props {
  readonly layout: Layout;
  readonly scan: ScanRecord;
}

/** Where a byte of the disk is on the thread. */
function pointOf(size: number, at: number): { x: number; y: number } {
  const along = Math.min(0.999999, at / size) * ROWS;
  const row = Math.floor(along);
  return { x: (along - row) * WIDTH, y: (row + 0.5) * PITCH };
}

/** Of each part of the disk the role of the volume that most of it belongs to. */
function rolesOf({ volumes, diskSize }: Layout): (LaidVolume['role'] | undefined)[] {
  return Array.from({ length: PARTS }, (_, part) => {
    const middle = ((part + 0.5) / PARTS) * diskSize;
    return volumes.find((v) => v.start <= middle && middle < v.start + v.length)?.role;
  });
}

/** The disk's column unrolled, read from top to bottom: as thick as the disk was fast, broken where it can't be read. */
export function Thread({ layout, scan }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useSizes();
  const theme = useDrawnTheme();
  const [near, setNear] = useState<{ hit: ScanHit; x: number; y: number; slow: boolean }>();
  const roles = useMemo(() => rolesOf(layout), [layout]);
  const density = densityNow();
  useEffect(() => {
    const frame = requestAnimationFrame(() => draw(canvas.current!, roles, scan, density));
    return () => cancelAnimationFrame(frame);
  }, [roles, scan, theme, density]);
  const point = ({ nativeEvent: { offsetX, offsetY } }: MouseEvent): void => {
    const find = (hits: readonly ScanHit[], slow: boolean) =>
      hits
        .map((hit) => ({ hit, slow, ...pointOf(scan.size, hit.start) }))
        .find(({ x, y }) => Math.abs(x - offsetX) < NEAR && Math.abs(y - offsetY) < NEAR);
    setNear(find(scan.faults, false) ?? find(scan.slow, true));
  };
  const words = `The disk from its start to its end in ${ROWS} rows: ${readWords(scan, size)}, ${scan.faults.length} places can’t be read, ${scan.slow.length} are slow. Each is listed beside.`;
  return (
    <div className={styles.thread} style={{ width: WIDTH, height: HEIGHT }}>
      <canvas
        ref={canvas}
        width={WIDTH * density}
        height={HEIGHT * density}
        style={{ width: WIDTH, height: HEIGHT }}
        role="img"
        aria-label={words}
        onMouseMove={point}
        onMouseLeave={() => setNear(undefined)}
      />
      {near ? (
        <div className={styles.tip} style={{ left: Math.min(near.x, WIDTH - 230), top: near.y + 10 }}>
          <strong>{`${size(near.hit.end - near.hit.start)} at ${size(near.hit.start)} ${near.slow ? 'were slow' : 'can’t be read'}`}</strong>
          <span>{hitPlace(near.hit)}</span>
        </div>
      ) : null}
    </div>
  );
}

/** Pixels of the screen to one of the page: all that are drawn beyond are drawn for nothing. */
const densityNow = (): number => (typeof window === 'undefined' ? 1 : Math.max(1, window.devicePixelRatio));

type Roles = ReturnType<typeof rolesOf>;

function draw(canvas: HTMLCanvasElement, roles: Roles, record: ScanRecord, density: number): void {
  const { course, done, size, faults } = record;
  const paint = canvas.getContext('2d')!;
  const style = getComputedStyle(document.documentElement);
  const known = new Map<string, string>();
  const colour = (name: string): string => {
    const value = known.get(name) ?? style.getPropertyValue(name).trim();
    known.set(name, value);
    return value;
  };
  const line = colour('--line');
  paint.setTransform(density, 0, 0, density, 0, 0);
  paint.clearRect(0, 0, WIDTH, HEIGHT);
  const fastest = Math.max(1, ...course);
  const thickness = (speed: number): number =>
    PITCH * (THINNEST + (THICKEST - THINNEST) * Math.min(1, speed / fastest));
  const step = WIDTH / PER_ROW;
  for (let row = 0; row < ROWS; row++) {
    const y = (row + 0.5) * PITCH;
    for (let i = 0; i < PER_ROW;) {
      const part = row * PER_ROW + i;
      const read = course[part]! > 0;
      const role = roles[part];
      let end = i + 1;
      while (end < PER_ROW && course[row * PER_ROW + end]! > 0 === read && roles[row * PER_ROW + end] === role)
        end += 1;
      if (!read) {
        paint.fillStyle = line;
        paint.fillRect(i * step, y - 0.5, (end - i) * step, 1);
      } else {
        paint.fillStyle = role ? colour(`--${role}`) : colour('--muted');
        paint.globalAlpha = role ? 0.86 : 0.45;
        const half = (n: number): number => thickness(course[row * PER_ROW + n]!) / 2;
        paint.beginPath();
        paint.moveTo(i * step, y - half(i));
        for (let n = i; n < end; n++) paint.lineTo((n + 0.5) * step, y - half(n));
        paint.lineTo(end * step, y - half(end - 1));
        paint.lineTo(end * step, y + half(end - 1));
        for (let n = end - 1; n >= i; n--) paint.lineTo((n + 0.5) * step, y + half(n));
        paint.lineTo(i * step, y + half(i));
        paint.fill();
        paint.globalAlpha = 1;
      }
      i = end;
    }
  }
  paint.strokeStyle = colour('--danger');
  paint.lineWidth = 2;
  for (const { start } of faults) {
    const { x, y } = pointOf(size, start);
    paint.clearRect(x - 5, y - 5, 10, 10);
    paint.beginPath();
    paint.moveTo(x - 4, y - 4);
    paint.lineTo(x + 4, y + 4);
    paint.moveTo(x + 4, y - 4);
    paint.lineTo(x - 4, y + 4);
    paint.stroke();
  }
  if (done > stretchOf(record).start && done < stretchOf(record).end) {
    const { x, y } = pointOf(size, done);
    paint.fillStyle = colour('--ink');
    paint.fillRect(x, y - PITCH * 0.5, 2, PITCH);
  }
}
