// Makes the demo site's pictures, film, sound, fonts, leaflet and icons. Needs Chromium and ffmpeg; run by hand, results are committed.
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { makeTrueType, makeWoff2 } from './make-font.mjs';

const site = 'demo/wendle-mill/site';
const scratch = mkdtempSync(join(tmpdir(), 'mill-media-'));
const at = (name) => join(scratch, name);
const ffmpeg = (...args) => {
  const { status, stderr } = spawnSync('ffmpeg', ['-hide_banner', '-loglevel', 'error', '-y', ...args], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(`ffmpeg ${args.join(' ')}\n${stderr}`);
};

const paddles = (turn) =>
  Array.from(
    { length: 12 },
    (_, n) =>
      `<g transform="rotate(${n * 30 + turn})"><rect x="-5" y="-150" width="10" height="150" fill="#6d4a2f"/><rect x="-22" y="-158" width="44" height="34" fill="#8a5f3c"/></g>`,
  ).join('');
const wheel = (turn) =>
  `<g>${paddles(turn)}<circle r="112" fill="none" stroke="#5a3d28" stroke-width="12"/><circle r="26" fill="#3e2c1e"/></g>`;
const waves = (y, shift, colour) =>
  `<path d="M${-80 + shift} ${y}${Array.from({ length: 18 }, () => 'q20 -12 40 0t40 0').join('')}V900H-80z" fill="${colour}"/>`;
const svg = (w, h, body, view = `0 0 ${w} ${h}`) =>
  `<svg xmlns="http://www.w3.org/2000/svg" width="${w}" height="${h}" viewBox="${view}">${body}</svg>`;

const mill = svg(
  1200,
  560,
  `
<defs><linearGradient id="s" x2="0" y2="1"><stop stop-color="#f3d9b8"/><stop offset=".7" stop-color="#f8eedb"/></linearGradient></defs>
<rect width="1200" height="560" fill="url(#s)"/><circle cx="960" cy="120" r="46" fill="#fff6e2"/>
<path d="M0 330q200-60 420-20t420-10 360 10v60H0z" fill="#a9b48f"/><path d="M0 350q260-40 560-10t640-16v120H0z" fill="#8f9f7c"/>
<g><path d="M330 190h380v250H330z" fill="#efe6d4"/><g stroke="#cfc3aa" stroke-width="2">${Array.from({ length: 13 }, (_, n) => `<path d="M330 ${200 + n * 16}h380"/>`).join('')}</g><path d="M310 196l210-112 210 112z" fill="#7d3f27"/><path d="M710 240h140v200H710z" fill="#e4d9c3"/><path d="M690 244l85-52 85 52z" fill="#6f3823"/>
<g fill="#3b4a4c">${[370, 450, 530, 610].map((x) => `<rect x="${x}" y="232" width="38" height="48"/><rect x="${x}" y="316" width="38" height="48"/>`).join('')}<rect x="502" y="136" width="36" height="36"/></g>
</g>
<g transform="translate(776 402) scale(.62)">${wheel(8)}</g>
${waves(430, 0, '#7fb0b5')}${waves(462, 30, '#5c959d')}${waves(500, 10, '#3b747d')}`,
);
const owl = svg(
  640,
  360,
  `<rect width="640" height="360" fill="#3a2c22"/><path d="M0 270h640v40H0z" fill="#6b4c34"/><path d="M0 40l640 -30v26L0 70z" fill="#59402c"/>
<g transform="translate(320 180)"><ellipse cy="22" rx="62" ry="84" fill="#d9b47c"/><ellipse cy="30" rx="44" ry="66" fill="#f5ead6"/><path d="M0-96c-44 0-62 30-52 60 8 24 34 34 52 48 18-14 44-24 52-48 10-30-8-60-52-60z" fill="#fbf3e2" stroke="#b98f58" stroke-width="5"/><circle cx="-20" cy="-46" r="9" fill="#241a13"/><circle cx="20" cy="-46" r="9" fill="#241a13"/><path d="M0-40l-7 20h14z" fill="#caa16a"/></g>`,
);
const gauge = (level) =>
  svg(
    640,
    360,
    `<rect width="640" height="360" fill="#efe6d4"/><rect x="300" y="20" width="40" height="330" fill="#fffdf8" stroke="#22302f"/>${Array.from({ length: 11 }, (_, n) => `<path d="M300 ${40 + n * 29}h${n % 5 ? 14 : 26}" stroke="#22302f" stroke-width="3"/>`).join('')}<g opacity=".82">${waves(330 - level * 240, level * 40, '#3b747d')}</g>`,
  );
const frame = (turn) =>
  svg(
    640,
    360,
    `<rect width="640" height="360" fill="#d9cfb9"/><path d="M0 0h150v360H0zM500 0h140v360H500z" fill="#8d7b63"/><path d="M150 0h350v70H150z" fill="#4d6a6d"/>
<g transform="translate(325 200)">${wheel(turn)}</g>${waves(318, (turn * 2) % 80, '#4f8d96')}<path d="M440 70q26 120 6 260h34V70z" fill="#b9dadb" opacity=".85"/>`,
  );
const poster = (title, line, colour) =>
  svg(
    600,
    848,
    `<rect width="600" height="848" fill="${colour}"/><circle cx="300" cy="330" r="210" fill="#fbf3e2"/><g transform="translate(300 330)">${wheel(15)}</g><g font-family="DejaVu Serif, serif" text-anchor="middle" fill="#fbf3e2"><text x="300" y="650" font-size="58">${title}</text><text x="300" y="720" font-size="26">${line}</text><text x="300" y="800" font-size="20">The Wendle Creek Tide Mill</text></g>`,
  );

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});
try {
  const page = await browser.newPage();
  const shoot = async (drawing, name) => {
    const [, w, h] = /width="(\d+)" height="(\d+)"/.exec(drawing);
    await page.setViewportSize({ width: Number(w), height: Number(h) });
    await page.setContent(`<style>body{margin:0}svg{display:block}</style>${drawing}`);
    await page.screenshot({ path: at(name) });
    return at(name);
  };
  for (const folder of ['pictures', 'posters', 'film', 'audio', 'icons', 'fonts', 'leaflet'])
    mkdirSync(join(site, folder), { recursive: true });
  const millPng = await shoot(mill, 'mill.png');
  ffmpeg('-i', millPng, '-q:v', '5', join(site, 'pictures/mill-1200.jpg'));
  ffmpeg('-i', millPng, '-quality', '78', join(site, 'pictures/mill-1200.webp'));
  ffmpeg(
    '-i',
    millPng,
    '-c:v',
    'libaom-av1',
    '-still-picture',
    '1',
    '-crf',
    '34',
    join(site, 'pictures/mill-1200.avif'),
  );
  await page.setViewportSize({ width: 640, height: 360 });
  ffmpeg('-i', await shoot(owl, 'owl.png'), '-compression_level', '9', join(site, 'pictures/owl.png'));
  ffmpeg(
    '-i',
    await shoot(frame(0), 'wheel.png'),
    '-compression_level',
    '9',
    join(site, 'pictures/wheel.png'),
  );
  ffmpeg('-i', at('wheel.png'), '-q:v', '5', join(site, 'film/wheel-poster.jpg'));
  for (let n = 0; n < 12; n++)
    await shoot(gauge((1 - Math.cos((n / 12) * 2 * Math.PI)) / 2), `tide-${String(n).padStart(2, '0')}.png`);
  ffmpeg(
    '-framerate',
    '4',
    '-i',
    at('tide-%02d.png'),
    '-vf',
    'split[a][b];[a]palettegen=max_colors=24[p];[b][p]paletteuse=dither=none',
    '-loop',
    '0',
    join(site, 'pictures/tide.gif'),
  );
  for (let n = 0; n < 96; n++)
    await shoot(frame((n * n) / 96 / 1.6), `film-${String(n).padStart(3, '0')}.png`);
  ffmpeg(
    '-framerate',
    '24',
    '-i',
    at('film-%03d.png'),
    '-c:v',
    'libx264',
    '-pix_fmt',
    'yuv420p',
    '-crf',
    '26',
    '-movflags',
    '+faststart',
    join(site, 'film/wheel.mp4'),
  );
  ffmpeg(
    '-framerate',
    '24',
    '-i',
    at('film-%03d.png'),
    '-c:v',
    'libvpx-vp9',
    '-crf',
    '38',
    '-b:v',
    '0',
    join(site, 'film/wheel.webm'),
  );
  const sound = [
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=color=brown:duration=12:amplitude=.6:seed=1794',
    '-af',
    'tremolo=f=3.2:d=.7,lowpass=f=900',
  ];
  ffmpeg(...sound, '-c:a', 'libmp3lame', '-b:a', '64k', join(site, 'audio/stones.mp3'));
  ffmpeg(...sound, '-c:a', 'libvorbis', '-q:a', '1', join(site, 'audio/stones.ogg'));
  ffmpeg(
    '-i',
    await shoot(
      poster('Harvest supper', 'in the mill yard, the last Saturday of September', '#7d3f27'),
      'supper.png',
    ),
    '-compression_level',
    '9',
    join(site, 'posters/harvest-supper.png'),
  );
  ffmpeg(
    '-i',
    await shoot(poster('Open day', 'the wheel turns from ten until the pond is down', '#1f5a63'), 'open.png'),
    '-quality',
    '80',
    join(site, 'posters/open-day.webp'),
  );
  const mark = svg(
    192,
    192,
    `<rect width="192" height="192" fill="#fbf8f1"/><g transform="translate(96 88) scale(.5)">${wheel(15)}</g>${waves(150, 0, '#1f5a63')}`,
  );
  ffmpeg('-i', await shoot(mark, 'mark.png'), join(site, 'icons/icon-192.png'));
  ffmpeg('-i', at('mark.png'), '-vf', 'scale=32:32', at('icon.ico'));
  ffmpeg('-i', at('mark.png'), '-vf', 'scale=32:32', join(site, 'icons/favicon.ico'));
  await page.setContent(
    `<style>body{font:13pt/1.5 "DejaVu Serif";margin:0;color:#22302f}h1{color:#1f5a63}</style><h1>The Wendle Creek Tide Mill</h1>${mill.replace('width="1200" height="560"', 'width="640" height="298"')}<h2>Ground by the moon since 1794</h2><p>Open on Saturdays and Sundays from April to October. The wheel turns from about two hours after high water until the pond is down.</p><p>On foot: half an hour along the creek from Wendlemouth Halt.</p>`,
  );
  await page.pdf({
    path: join(site, 'leaflet/wendle-mill.pdf'),
    format: 'A5',
    margin: { top: '14mm', bottom: '14mm', left: '14mm', right: '14mm' },
    printBackground: true,
  });
  const font = makeTrueType();
  writeFileSync(join(site, 'fonts/wendle-digits.ttf'), font);
  writeFileSync(join(site, 'fonts/wendle-digits.woff2'), makeWoff2(font));
} finally {
  await browser.close();
  rmSync(scratch, { recursive: true, force: true });
}
