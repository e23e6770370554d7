/** The small site that `init` starts when there is nothing to adopt. Its references start at the root, so that they hold at any depth. */
const page = (title: string, body: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${title}</title>
<link rel="stylesheet" href="/styles/site.css">
</head>
<body>
<header><a href="/">Home</a></header>
<main>
${body}
</main>
</body>
</html>
`;

export const STARTER_FILES: Readonly<Record<string, string>> = {
  'index.html': page(
    'A new site',
    '<h1>A new site</h1>\n<p>Edit <code>index.html</code>, then run <code>fenestra publish</code>.</p>',
  ),
  'not-found.html': page(
    'Not found',
    '<h1>There is no such page</h1>\n<p>The address may be mistyped. <a href="/">Start from the home page</a>.</p>',
  ),
  'styles/site.css': `:root { color-scheme: light dark; font: 1.05rem/1.6 Georgia, serif; }
body { max-width: 42rem; margin: 3rem auto; padding: 0 1.2rem; }
header { border-bottom: 1px solid; padding-bottom: 0.6rem; margin-bottom: 2rem; }
`,
};
