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

/** The plot's colours stand for the page's own, so that it follows light and dark. */
const STAND_INS: readonly (readonly [string, string])[] = [
  ['#010203', 'var(--ink)'],
  ['#010204', 'var(--soft)'],
  ['#010205', 'var(--accent)'],
];
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
      axisLabel: { ...font, color: '#010203', margin: 8, interval: 0 },
    },
    series: [
      {
        type: 'bar',
        barWidth: 15,
        barMinHeight: 2,
        silent: true,
        itemStyle: { color: '#010205', borderRadius: [0, 3, 3, 0] },
        label: {
          ...font,
          show: true,
          position: 'right',
          color: '#010204',
          formatter: ({ dataIndex }: { dataIndex: number }) => bars[dataIndex]?.label ?? '',
        },
        data: bars.map(({ value }) => value),
      },
    ],
  });
  let svg = chart.renderToSVGString();
  chart.dispose();
  for (const [standIn, colour] of STAND_INS) svg = svg.replaceAll(standIn, colour);
  // Nothing in it reacts to a pointer.
  svg = svg.replace(/<style[^]*?<\/style>/g, '');
  // One name space for all plots of a page, and no measures that keep it from shrinking.
  return svg.replace(
    /<svg width="\d+" height="\d+"/,
    `<svg aria-hidden="true" focusable="false" width="${width}" height="${height}"`,
  );
}
