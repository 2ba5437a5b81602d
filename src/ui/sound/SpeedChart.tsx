'use client';

import type { SpeedResult } from '@/core/health';
import { LineChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { useEffect, useRef } from 'react';
import { useDrawnTheme } from '../kit';

echarts.use([LineChart, GridComponent, LegendComponent, TooltipComponent, SVGRenderer]);

const MB = 1_000_000;
const COLOURS = ['--system', '--data', '--recovery', '--foreign', '--firmware', '--swap'];
const DASHES = ['solid', 'dashed', 'dotted'] as const;

/** A measurement with what it is called. */
export interface NamedSpeed {
  readonly name: string;
  readonly result: SpeedResult;
}

/** Speed by place, from the start of each disk to its end, several over each other. */
export function SpeedChart({ speeds }: { readonly speeds: readonly NamedSpeed[] }) {
  const frame = useRef<HTMLDivElement>(null);
  const theme = useDrawnTheme();
  useEffect(() => {
    const chart = echarts.init(frame.current!, null, { renderer: 'svg' });
    const colour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    const { fontFamily } = getComputedStyle(document.body);
    const text = { color: colour('--muted'), fontSize: 11 };
    const line = { lineStyle: { color: colour('--line') } };
    chart.setOption({
      animation: false,
      textStyle: { fontFamily },
      grid: { left: 8, right: 16, top: 40, bottom: 8, containLabel: true },
      legend: { top: 0, left: 0, itemGap: 28, textStyle: { color: colour('--ink'), fontFamily, fontSize: 12 } },
      tooltip: { trigger: 'axis', valueFormatter: (value: unknown) => `${Number(value).toFixed(1)} MB/s` },
      xAxis: {
        type: 'value',
        min: 0,
        max: 100,
        axisLabel: { ...text, formatter: '{value} %' },
        axisLine: line,
        splitLine: { show: false },
      },
      yAxis: { type: 'value', min: 0, name: 'MB/s', nameTextStyle: text, axisLabel: text, splitLine: line },
      series: speeds.map(({ name, result }, i) => ({
        name,
        type: 'line',
        showSymbol: false,
        lineStyle: {
          width: i === 0 ? 4 : 2,
          color: colour(COLOURS[i % COLOURS.length]!),
          type: DASHES[Math.floor(i / COLOURS.length) % DASHES.length]!,
        },
        itemStyle: { color: colour(COLOURS[i % COLOURS.length]!) },
        data: result.course.map((c) => [(c.at / result.size) * 100, c.bytesPerSecond / MB]),
      })),
    });
    return () => chart.dispose();
  }, [speeds, theme]);
  const words = speeds.map(({ name, result: { course } }) => {
    const rates = course.map((c) => c.bytesPerSecond / MB);
    return `${name}: ${Math.max(0, ...rates).toFixed(0)} MB/s at most, ${rates.length > 0 ? Math.min(...rates).toFixed(0) : 0} at least`;
  });
  return (
    <div ref={frame} style={{ height: 320 }} role="img" aria-label={`Speed from start to end. ${words.join('. ')}`} />
  );
}
