/** Pages that ask for things in odd ways, as a walk beside a real browser: first, at once, reloaded, forced. */
import { crc32, deflateSync } from 'node:zlib';
import { expect, test, vi } from 'vitest';
import { visitAs, type Browsed } from './helpers/browsed.js';
import { need } from './helpers/machine.js';
import { fenestra, makeProject } from './helpers/program.js';

vi.setConfig({ testTimeout: 900_000 });

const SVG =
  '<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><rect width="10" height="10" fill="teal"/></svg>';

function png(size: number): Buffer {
  const chunk = (name: string, data: Buffer): Buffer => {
    const body = Buffer.concat([Buffer.from(name), data]);
    const frame = Buffer.alloc(8);
    frame.writeUInt32BE(data.length, 0);
    frame.writeUInt32BE(crc32(body), 4);
    return Buffer.concat([frame.subarray(0, 4), body, frame.subarray(4)]);
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(size, 0);
  head.writeUInt32BE(size, 4);
  head.set([8, 2], 8);
  const rows = deflateSync(Buffer.alloc((size * 3 + 1) * size));
  return Buffer.concat([
    Buffer.from('89504e470d0a1a0a', 'hex'),
    chunk('IHDR', head),
    chunk('IDAT', rows),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

const PLAIN_ICON = '<link rel="icon" href="data:,">';
const page = (head: string, body = '<p>x</p>'): string =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>t</title>${head}</head><body>${body}</body></html>`;
const sized = (size: number): string => `<link rel="icon" href="/i${size}.png" sizes="${size}x${size}">`;

const PAGES = {
  'no-icon': page(''),
  redirects: page(
    `${PLAIN_ICON}<link rel="stylesheet" href="/m.css"><link rel="stylesheet" href="/n.css">`,
    '<img src="/pic" alt=""><img src="/pic2" alt="">',
  ),
  'icons-sized': page(sized(16) + sized(32) + sized(48)),
  'icons-unsized': page('<link rel="icon" href="/b.svg"><link rel="shortcut icon" href="/j32.png">'),
  'icon-missing': page(
    '<link rel="icon" href="/missing.png"><link rel="icon" href="/j16.png" sizes="16x16">',
  ),
  'icon-and-picture': page('<link rel="icon" href="/k16.png">', '<img src="/k16.png" alt="">'),
  sandboxed: page(
    PLAIN_ICON,
    '<iframe sandbox src="/frame.html"></iframe><iframe sandbox src="/frame.html?2"></iframe>',
  ),
  'goes-on': page(
    `${PLAIN_ICON}<meta http-equiv="refresh" content="0; url=/icons-sized/">`,
    '<img src="/a.svg" alt="">',
  ),
  'goes-on-without-an-icon': page('<meta http-equiv="refresh" content="0; url=/icons-sized/">'),
  'stays-a-while': page(`${PLAIN_ICON}<meta http-equiv="refresh" content="30; url=/no-icon/">`),
  'ahead-by-link': page(`${PLAIN_ICON}<link rel="prefetch" href="/real.css">`),
  ahead: page(
    `${PLAIN_ICON}<script type="speculationrules">{"prefetch":[{"urls":["/no-icon/","/redirects/"]}]}</script>`,
  ),
};

test('what pages ask for in odd ways is what a browser asks for', async (context) => {
  need(context, 'Chromium');
  const files: Record<string, string | Buffer> = {
    'site/a.svg': SVG,
    'site/b.svg': SVG,
    'site/real.css': 'p { color: red }',
    'site/frame.html':
      '<!doctype html><title>f</title><link rel="stylesheet" href="/real.css"><img src="/a.svg" alt=""><p>y</p>',
    'site/index.html': page(PLAIN_ICON),
    ...Object.fromEntries([16, 32, 48].map((size) => [`site/i${size}.png`, png(size)])),
    'site/j32.png': png(32),
    'site/j16.png': png(16),
    'site/k16.png': png(16),
  };
  for (const [name, text] of Object.entries(PAGES)) files[`site/${name}/index.html`] = text;
  const home = makeProject(
    files,
    `site: site
destinations: { rehearsal: { store: here, bucket: test-mill } }
moved:
  temporarily: { "/m.css": "/real.css", "/n.css": "/real.css", "/pic": "/a.svg", "/pic2": "/a.svg" }
assign:
  - { to: "k16.png", cache: revalidate }
`,
  );
  await fenestra(home, 'publish', '--yes');
  const seen = await visitAs<Browsed>(
    home,
    ...[...Object.keys(PAGES).map((name) => `/${name}/`), '/nothing-here'],
    ...['--after', '0 seconds', '--forced', '--browser'],
  );
  expect(seen.differences).toEqual([]);
  expect(seen.browser.reduce((sum, { responses }) => sum + responses.length, 0)).toBeGreaterThan(100);
});
