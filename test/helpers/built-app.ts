/** An application of one page, built with a router from npm as builders do: one page, hashed names, a root element. */
import { writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { build } from 'esbuild';

const SOURCE = join(import.meta.dirname, '../apps/orders');

/** @param folder of built files @param base what its references begin with */
export async function buildApp(folder: string, base = '/'): Promise<void> {
  const { metafile } = await build({
    entryPoints: [join(SOURCE, 'main.jsx'), join(SOURCE, 'site.css')],
    bundle: true,
    minify: true,
    format: 'esm',
    jsxFactory: 'h',
    outdir: join(folder, 'assets'),
    entryNames: '[name]-[hash]',
    metafile: true,
    logLevel: 'silent',
  });
  const names = Object.keys(metafile.outputs).map((path) => `${base}assets/${basename(path)}`);
  const script = names.find((name) => name.endsWith('.js'));
  const style = names.find((name) => name.endsWith('.css'));
  writeFileSync(
    join(folder, 'index.html'),
    `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>Orders</title>
<link rel="stylesheet" href="${style ?? ''}">
<script type="module" src="${script ?? ''}"></script>
</head>
<body><div id="app"></div></body>
</html>
`,
  );
}
