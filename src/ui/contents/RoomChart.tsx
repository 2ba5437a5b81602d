'use client';

import type { Role } from '@/core/layout';
import type { RoomItem } from '@/engine';
import { TreemapChart } from 'echarts/charts';
import { TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { useEffect, useRef } from 'react';
import { useDrawnTheme, useSizes } from '../kit';
import styles from './contents.module.css';

echarts.use([TreemapChart, TooltipComponent, SVGRenderer]);

interface Props {
  /** Of the volume, whose colours it has. */
  readonly role: Role;
  readonly items: readonly RoomItem[];
  readonly onGo: (path: string) => void;
}

interface Node {
  readonly name: string;
  readonly value: number;
  readonly path: string;
  readonly folder: boolean;
  readonly files: number;
  readonly children?: readonly Node[];
}

const nodeOf = ({ name, path, kind, bytes, files, inside }: RoomItem): Node => ({
  ...{ name, path, value: bytes, files, folder: kind === 'folder' },
  ...(inside && inside.length > 0 ? { children: inside.map(nodeOf) } : {}),
});

/** Folders and files as areas by size; a folder is gone into by pressing it. */
export function RoomChart({ role, items, onGo }: Props) {
  const size = useSizes();
  const theme = useDrawnTheme();
  const frame = useRef<HTMLDivElement>(null);
  const go = useRef(onGo);
  useEffect(() => {
    go.current = onGo;
  }, [onGo]);
  useEffect(() => {
    const chart = echarts.init(frame.current!, null, { renderer: 'svg' });
    const colour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    const full = colour(`--${role}`);
    const words = (node: unknown): string => {
      const { name, value, files, folder } = node as Node;
      return `${name}${folder ? '/' : ''}  ${size(value)}${folder ? `, ${files} files` : ''}`;
    };
    chart.setOption({
      animation: false,
      textStyle: { fontFamily: getComputedStyle(document.body).fontFamily },
      tooltip: { renderMode: 'richText', formatter: ({ data }: { data: unknown }) => words(data) },
      series: [
        {
          type: 'treemap',
          ...{ left: 0, right: 0, top: 0, bottom: 0, roam: false, nodeClick: false, breadcrumb: { show: false } },
          data: items.map(nodeOf),
          label: {
            color: colour('--ink'),
            fontSize: 12,
            overflow: 'truncate',
            formatter: ({ data }: { data: unknown }) => words(data),
          },
          upperLabel: {
            show: true,
            height: 22,
            color: colour('--on-role'),
            fontSize: 12,
            overflow: 'truncate',
            formatter: ({ data }: { data: unknown }) => words(data),
          },
          itemStyle: { color: colour('--panel'), borderColor: full, borderWidth: 1, gapWidth: 1 },
          levels: [
            { itemStyle: { gapWidth: 3, borderWidth: 0, color: colour('--panel') }, upperLabel: { show: false } },
            { itemStyle: { borderColor: full, borderWidth: 2, gapWidth: 1 } },
            { itemStyle: { color: colour(`--${role}-pale`), borderColor: colour('--panel') } },
          ],
        },
      ],
    });
    chart.on('click', ({ data }) => {
      const { path, folder } = data as unknown as Node;
      if (folder) go.current(path);
    });
    const observer = new ResizeObserver(() => chart.resize());
    observer.observe(frame.current!);
    return () => {
      observer.disconnect();
      chart.dispose();
    };
  }, [role, items, size, theme]);
  const told = items.slice(0, 8).map((i) => `${i.name}: ${size(i.bytes)}`);
  return <div ref={frame} className={styles.chart} role="img" aria-label={`Where the room goes. ${told.join(', ')}`} />;
}
