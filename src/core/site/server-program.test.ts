import { expect, test } from 'vitest';
import { programByName, programByText } from './server-program.js';

test.each<[key: string, language: string | undefined]>([
  ['index.php', 'PHP'],
  ['a/contact.PHTML', 'PHP'],
  ['config.php.bak', 'PHP'],
  ['config.php~', 'PHP'],
  ['config.php.bak.old', 'PHP'],
  ['settings.py.txt', 'Python'],
  ['cgi-bin/form.cgi', 'Perl'],
  ['x.html.erb', 'Ruby'],
  ['list.ejs', 'JavaScript templates'],
  ['page.jsp', 'Java server pages'],
  ['Default.aspx', 'ASP'],
  ['php', undefined],
  ['.py', undefined],
  ['php/index.html', undefined],
  ['happy.html', undefined],
  ['a.txt', undefined],
  ['a.php.html', undefined],
])('by its name %s is %s', (key, language) => {
  expect(programByName(key)).toBe(language);
});

test.each<[type: string, text: string, language: string | undefined]>([
  ['', '#!/usr/bin/env python3\nprint()', 'python3'],
  ['', '#!/bin/sh\n', 'sh'],
  ['', 'a list\n', undefined],
  ['text/x-sh', '#!/bin/sh\n', undefined],
  ['text/plain', 'x\n<?php echo 1;', 'PHP'],
  ['text/html', '<p>a<?= $name ?>', 'PHP'],
  ['text/html', '<p><%= name %>', 'a template of a server'],
  ['text/html', '<%@ page language="java" %><html>', 'a template of a server'],
  ['text/html', '<script type="text/template"><%= name %></script><p>', undefined],
  ['text/html', '<SCRIPT>"<?php "</SCRIPT><p>', undefined],
  ['text/html', '<p>&lt;?php', undefined],
  ['text/html', '<?xml version="1.0"?><p>', undefined],
  ['text/html', '<p>5 <% of', 'a template of a server'],
  ['text/javascript', 'const open = "<?php ";', undefined],
  ['text/javascript', '<?php header("x"); ?>', 'PHP'],
  ['text/css', '\u00ef\u00bb\u00bf <?php ?>', 'PHP'],
  ['text/markdown', 'Begin with `<?php`', undefined],
  ['application/xml', '<?xml version="1.0"?><a/>', undefined],
])('%s that reads %j is %s', (type, text, language) => {
  expect(programByText(type, text)).toBe(language);
});
