'use client';

import type { Slack } from '@/core/goal';
import { BarChart } from 'echarts/charts';
import { GridComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { useEffect, useRef } from 'react';
import { useDrawnTheme, useSizes } from '../kit';

echarts.use([BarChart, GridComponent, TooltipComponent, SVGRenderer]);

/** Slack as a share of all there is. */
function share(bytes: number, total: number): string {
  const percent = (bytes / Math.max(1, total)) * 100;
  return percent > 0 && percent < 0.05 ? '< 0.1 %' : `${percent.toFixed(1)} %`;
}

interface Props {
  readonly slack: readonly Slack[];
  readonly taken: number | undefined;
  /** Bytes of all files. */
  readonly total: number;
}

/** Slack by cluster size; the size as planned stands out. */
export function SlackChart({ slack, taken, total }: Props) {
  const size = useSizes();
  const theme = useDrawnTheme();
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const chart = echarts.init(frame.current!, null, { renderer: 'svg' });
    const colour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    chart.setOption({
      animation: false,
      textStyle: { fontFamily: getComputedStyle(document.body).fontFamily },
      grid: { left: 8, right: 8, top: 22, bottom: 4, containLabel: true },
      tooltip: { trigger: 'item' },
      xAxis: {
        type: 'category',
        data: slack.map((s) => size(s.clusterSize)),
        axisLabel: { color: colour('--muted'), fontSize: 10, interval: 0 },
        axisLine: { lineStyle: { color: colour('--line') } },
      },
      yAxis: {
        type: 'value',
        splitNumber: 3,
        axisLabel: { show: false },
        splitLine: { lineStyle: { color: colour('--line') } },
      },
      series: [
        {
          type: 'bar',
          data: slack.map((s) => ({
            value: s.bytes,
            itemStyle: { color: s.clusterSize === taken ? colour('--accent') : colour('--swap') },
            ...(s.clusterSize === taken ? { label: { color: colour('--accent'), fontWeight: 'bold' as const } } : {}),
          })),
          label: {
            show: true,
            position: 'top',
            color: colour('--ink'),
            fontSize: 11,
            formatter: ({ value }: { value: unknown }) => share(Number(value), total),
          },
          tooltip: { valueFormatter: (value: unknown) => size(Number(value)) },
        },
      ],
    });
    return () => chart.dispose();
  }, [slack, taken, total, size, theme]);
  const words = slack.map((s) => `${size(s.clusterSize)}: ${size(s.bytes)}`).join(', ');
  return <div ref={frame} style={{ height: 190 }} role="img" aria-label={`Slack by cluster size. ${words}`} />;
}
