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
const BROKEN_ROW = 38;
/** Pixels that a letter takes in the widest of the usual fonts at this size. */
const LETTER = 7.9;

/** @param width pixels; long names take two lines */
export function renderBarPlot(bars: readonly Bar[], width: number): string {
  const most = Math.floor((width * 0.46) / LETTER);
  const lines = bars.map(({ name }) => breakName(name, most));
  const shown = lines.map((each) => each.join('\n'));
  const height = bars.length * (lines.some(({ length }) => length > 1) ? BROKEN_ROW : ROW) + 8;
  const names = Math.max(...lines.flat().map(({ length }) => length)) * LETTER + 12;
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

/** One line, or two where a name is longer: it breaks behind a slash, a hyphen or at a space. */
function breakName(name: string, most: number): string[] {
  if (name.length <= most) return [name];
  const head = /^.*[/ -]/.exec(name.slice(0, most))?.[0] ?? '';
  return head === '' ? [shorten(name, most)] : [head.trimEnd(), shorten(name.slice(head.length), most)];
}
