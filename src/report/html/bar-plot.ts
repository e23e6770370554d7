/** Horizontal bars as SVG, drawn without a browser. */
import { init, use } from 'echarts/core';
import { BarChart } from 'echarts/charts';
import { GridComponent } from 'echarts/components';
import { SVGRenderer } from 'echarts/renderers';
import { shorten } from '../text/paint.js';

use([BarChart, GridComponent, SVGRenderer]);

export interface Bar {
  readonly name: string;
  readonly value: number;
  /** Stands at the end of the bar. */
  readonly label: string;
}

const ROW = 27;
/** Pixels that a letter takes in the widest of the usual fonts at this size. */
const LETTER = 7.9;

/** @param width pixels; names are cut to fit */
export function renderBarPlot(bars: readonly Bar[], width: number): string {
  const height = bars.length * ROW + 8;
  const most = Math.floor((width * 0.46) / LETTER);
  const shown = bars.map(({ name }) => shorten(name, most));
  const names = Math.max(...shown.map(({ length }) => length)) * LETTER + 12;
  const labels = Math.max(...bars.map(({ label }) => label.length)) * LETTER + 12;
  const chart = init(null, null, { renderer: 'svg', ssr: true, width, height });
  const font = { fontFamily: 'inherit', fontSize: 13 };
  chart.setOption({
    animation: false,
    grid: { left: names, right: labels, top: 2, bottom: 2 },
    xAxis: { type: 'value', show: false, min: 0 },
    yAxis: {
      type: 'category',
      inverse: true,
      data: shown,
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { ...font, color: 'var(--ink)', margin: 8, interval: 0 },
    },
    series: [
      {
        type: 'bar',
        barWidth: 15,
        barMinHeight: 2,
        silent: true,
        emphasis: { disabled: true },
        itemStyle: { color: 'var(--accent)', borderRadius: [0, 3, 3, 0] },
        label: {
          ...font,
          show: true,
          position: 'right',
          color: 'var(--soft)',
          formatter: ({ dataIndex }: { dataIndex: number }) => bars[dataIndex]?.label ?? '',
        },
        data: bars.map(({ value }) => value),
      },
    ],
  });
  const svg = chart.renderToSVGString();
  chart.dispose();
  return svg;
}
