/** Lines over traffic as SVG, drawn without a browser; both axes in powers of ten. */
import { init, use } from 'echarts/core';
import { LineChart } from 'echarts/charts';
import { GridComponent } from 'echarts/components';
import { LabelLayout } from 'echarts/features';
import { SVGRenderer } from 'echarts/renderers';
import { shorten } from '../text/paint.js';

use([LineChart, GridComponent, LabelLayout, SVGRenderer]);

export interface Line {
  readonly name: string;
  /** A CSS colour. */
  readonly colour: string;
  readonly dashed: boolean;
  readonly points: readonly (readonly [x: number, y: number])[];
}

export interface Axis {
  readonly name: string;
  /** What stands at it. */
  readonly format: (value: number) => string;
}

/** Pixels that a letter takes in the widest of the usual fonts at this size. */
const LETTER = 7.4;

/** Each line has its name at its end. @param width pixels */
export function renderLinePlot(
  lines: readonly Line[],
  width: number,
  axes: { readonly x: Axis; readonly y: Axis },
): string {
  const isSlim = width < 600;
  const height = isSlim ? 280 : 320;
  const room = Math.min(width * 0.3, Math.max(...lines.map(({ name }) => name.length), 0) * LETTER + 14);
  const most = Math.floor((room - 14) / LETTER);
  const chart = init(null, null, { renderer: 'svg', ssr: true, width, height });
  const font = { fontFamily: 'inherit', fontSize: 13, color: 'var(--soft)' };
  // Nothing has no place on such an axis.
  const least = Math.min(...lines.flatMap(({ points }) => points.flatMap(([, y]) => (y > 0 ? [y] : []))), 1);
  chart.setOption({
    animation: false,
    grid: { left: isSlim ? 44 : 60, right: Math.max(room, isSlim ? 20 : 44), top: 34, bottom: 54 },
    xAxis: {
      type: 'log',
      name: axes.x.name,
      nameLocation: 'middle',
      nameGap: 32,
      nameTextStyle: font,
      axisLabel: { ...font, formatter: axes.x.format, hideOverlap: true },
      axisLine: { lineStyle: { color: 'var(--line)' } },
      splitLine: { lineStyle: { color: 'var(--line)' } },
      min: 'dataMin',
      max: 'dataMax',
    },
    yAxis: {
      type: 'log',
      name: axes.y.name,
      nameGap: 14,
      nameTextStyle: { ...font, align: 'left', padding: [0, 0, 0, isSlim ? -38 : -54] },
      axisLabel: { ...font, formatter: axes.y.format },
      splitLine: { lineStyle: { color: 'var(--line)' } },
      min: 10 ** Math.floor(Math.log10(least)),
    },
    series: lines.map(({ name, colour, dashed, points }) => ({
      type: 'line',
      name,
      silent: true,
      showSymbol: false,
      emphasis: { disabled: true },
      endLabel: { ...font, color: colour, show: true, distance: 6, formatter: () => shorten(name, most) },
      labelLayout: { moveOverlap: 'shiftY' },
      lineStyle: { color: colour, width: 2.5, type: dashed ? 'dashed' : 'solid' },
      itemStyle: { color: colour },
      data: points.map(([x, y]) => [x, y > 0 ? y : null]),
    })),
  });
  const svg = chart.renderToSVGString();
  chart.dispose();
  return svg;
}
