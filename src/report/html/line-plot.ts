/** Lines over traffic as SVG, drawn without a browser; both axes in powers of ten. */
import { init, use } from 'echarts/core';
import { LineChart } from 'echarts/charts';
import { GridComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';

use([LineChart, GridComponent, SVGRenderer]);

export interface Line {
  readonly name: string;
  /** A CSS colour. */
  readonly colour: string;
  readonly dashed: boolean;
  readonly points: readonly (readonly [x: number, y: number])[];
}

/** @param width pixels @param format what stands at an axis */
export function renderLinePlot(
  lines: readonly Line[],
  width: number,
  format: { readonly x: (value: number) => string; readonly y: (value: number) => string },
): string {
  const height = 300;
  const chart = init(null, null, { renderer: 'svg', ssr: true, width, height });
  const font = { fontFamily: 'inherit', fontSize: 13, color: 'var(--soft)' };
  // Nothing has no place on such an axis.
  const least = Math.min(...lines.flatMap(({ points }) => points.flatMap(([, y]) => (y > 0 ? [y] : []))), 1);
  chart.setOption({
    animation: false,
    grid: { left: 72, right: 44, top: 16, bottom: 34 },
    xAxis: {
      type: 'log',
      axisLabel: { ...font, formatter: format.x },
      axisLine: { lineStyle: { color: 'var(--line)' } },
      splitLine: { lineStyle: { color: 'var(--line)' } },
      min: 'dataMin',
      max: 'dataMax',
    },
    yAxis: {
      type: 'log',
      axisLabel: { ...font, formatter: format.y },
      splitLine: { lineStyle: { color: 'var(--line)' } },
      min: 10 ** Math.floor(Math.log10(least)),
    },
    series: lines.map(({ name, colour, dashed, points }) => ({
      type: 'line',
      name,
      silent: true,
      showSymbol: false,
      emphasis: { disabled: true },
      lineStyle: { color: colour, width: 2.5, type: dashed ? 'dashed' : 'solid' },
      itemStyle: { color: colour },
      data: points.map(([x, y]) => [x, y > 0 ? y : null]),
    })),
  });
  const svg = chart.renderToSVGString();
  chart.dispose();
  return svg;
}
