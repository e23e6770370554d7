/** Source code of programs that a server runs: a bucket runs none, and sends the source to whoever asks. */
import { isJson, isPage, isScript, isStyle } from '../assign/defaults.js';

const LANGUAGES: readonly (readonly [language: string, extensions: string])[] = [
  ['PHP', 'php php3 php4 php5 php7 php8 phtml phps'],
  ['Java server pages', 'jsp jspx'],
  ['ASP', 'asp aspx ascx ashx'],
  ['Perl', 'pl cgi fcgi'],
  ['Python', 'py'],
  ['Ruby', 'rb erb rhtml'],
  ['JavaScript templates', 'ejs'],
];
const BY_EXTENSION = new Map(
  LANGUAGES.flatMap(([language, extensions]) =>
    extensions.split(' ').map((extension) => [extension, language] as const),
  ),
);
/** What editors and people put behind a name that they keep a copy of. */
const COPY = /(?:\.(?:bak|old|orig|save|swp|tmp|txt|dist|inc|\d{1,3})|~)$/i;

/** The language that a name says; undefined where it says none. @param key `index.php`, `config.php.bak`, `x.py~` */
export function programByName(key: string): string | undefined {
  let name = key.slice(key.lastIndexOf('/') + 1).slice(-100);
  for (let copies = 0; copies < 3; copies++) {
    const dot = name.lastIndexOf('.');
    const language = dot > 0 ? BY_EXTENSION.get(name.slice(dot + 1).toLowerCase()) : undefined;
    if (language !== undefined) return language;
    const shorter = name.replace(COPY, '');
    if (shorter === name) return undefined;
    name = shorter;
  }
  return undefined;
}

const SHEBANG = /^#!\s*(\S{1,200})(?:[ \t]+(\S{1,100}))?/;
const PHP = /<\?(?:php(?=\s|$)|=)/i;
const TEMPLATE = /<%(?:[@=!#-]|\s)/;

/**
 * The language of a program by its text; undefined where it is none.
 * @param type the object's Content-Type; '' when it has none
 * @param text as much of it as is known, one character a byte
 */
export function programByText(type: string, text: string): string | undefined {
  if (type === '') {
    const [, program = '', argument = ''] = SHEBANG.exec(text) ?? [];
    if (program !== '')
      return program.endsWith('/env') ? argument : program.slice(program.lastIndexOf('/') + 1);
  }
  // Scripts and data speak of such code in strings; where a text begins with it, it is such code.
  const isQuoting = isScript(type) || isStyle(type) || isJson(type) || /markdown/.test(type);
  const start = text.replace(/^(?:\u00ef\u00bb\u00bf)?\s{0,100}/, '').slice(0, 12);
  const read = isQuoting ? start : isPage(type) ? withoutScripts(text) : text;
  if (PHP.test(read)) return 'PHP';
  return TEMPLATE.test(isPage(type) ? read : start) ? 'a template of a server' : undefined;
}

/** A page without what is in its scripts and comments: templates there are filled in by the browser. */
function withoutScripts(page: string): string {
  const kept: string[] = [];
  const lower = page.toLowerCase();
  let at = 0;
  for (;;) {
    const script = indexOrEnd(lower, '<script', at);
    const comment = indexOrEnd(lower, '<!--', at);
    const from = Math.min(script, comment);
    kept.push(page.slice(at, from));
    if (from === page.length) return kept.join(' ');
    const end = script < comment ? '</script' : '-->';
    at = indexOrEnd(lower, end, from);
    if (at === page.length) return kept.join(' ');
    at += end.length;
  }
}

function indexOrEnd(text: string, what: string, from: number): number {
  const at = text.indexOf(what, from);
  return at < 0 ? text.length : at;
}
