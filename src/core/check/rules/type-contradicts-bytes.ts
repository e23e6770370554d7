import { essence, isText } from '../../assign/media-type.js';
import { extension } from '../../site/key.js';
import type { SurveyObject } from '../../site/survey.js';
import { assignLine, objectRule, type SurveyContext } from '../rule.js';

/** Containers and older names that go for one another: each group is one thing to a browser. */
const ALIKE: readonly (readonly string[])[] = [
  ['video/mp4', 'audio/mp4', 'audio/x-m4a', 'video/quicktime', 'video/x-m4v', 'audio/m4a'],
  ['video/webm', 'audio/webm', 'video/x-matroska', 'video/matroska', 'audio/x-matroska'],
  ['audio/ogg', 'video/ogg', 'application/ogg', 'audio/opus', 'audio/vorbis'],
  ['image/x-icon', 'image/vnd.microsoft.icon'],
  ['audio/wav', 'audio/x-wav', 'audio/wave', 'audio/vnd.wave'],
  ['audio/mpeg', 'audio/mp3', 'video/mp2t', 'video/mpeg'],
  ['application/gzip', 'application/x-gzip'],
  ['application/x-tar', 'application/x-gtar'],
  ['image/bmp', 'image/x-ms-bmp'],
  ['image/apng', 'image/png'],
  ['image/avif', 'image/heic', 'image/heif'],
  ['application/xml', 'text/xml'],
  ['font/collection', 'font/ttf', 'font/otf', 'font/sfnt'],
  [
    'application/vnd.debian.binary-package',
    'application/x-deb',
    'application/x-debian-package',
    'application/x-unix-archive',
  ],
  ['application/x-msdownload', 'application/x-msdos-program', 'application/octet-stream'],
  ['application/x-cfb', 'application/msword', 'application/vnd.ms-excel', 'application/vnd.ms-powerpoint'],
];

/** Formats that are ZIP, XML or gzip inside and say so to the detector. */
const WRAPPED = /^application\/(?:zip|xml|gzip|x-cfb|octet-stream)$/;

const goTogether = (type: string, sniffed: string, compressed: boolean): boolean =>
  type === sniffed ||
  ALIKE.some((group) => group.includes(type) && group.includes(sniffed)) ||
  (sniffed === 'application/zip' &&
    /^application\/(?:vnd\.|java-archive|epub|x-xpinstall|vsix|octet-stream)|\+zip$/.test(type)) ||
  (sniffed === 'application/xml' && /xml|html|svg/.test(type)) ||
  (sniffed === 'application/gzip' &&
    (compressed || /gzip|\+gzip|x-gtar|x-compressed|x-tgz|tar/.test(type))) ||
  (WRAPPED.test(sniffed) && /^application\/(?:octet-stream|vnd\.|x-)/.test(type));

export const typeContradictsBytes = objectRule(
  {
    name: 'type-contradicts-bytes',
    level: 'error',
    explain:
      'The leading bytes are those of another type than the one that is sent, so browsers refuse the file or show it wrongly.',
    example: 'posters/wheel.png that is a JPEG inside',
    fix: 'Rename the file after what it is, or give it the right type in a rule.',
  },
  (object, context) => {
    const { key, headers, facts } = object;
    if (!contradicts(object)) return undefined;
    const { sniffed } = facts;
    return {
      message: `sent as ${essence(headers['Content-Type'] ?? '')}, but its bytes are ${sniffed}`,
      fix: `rename it after what it is, or ${assignLine(patternFor(key, sniffed, context), `contentType: ${sniffed}`)}`,
    };
  },
);

function contradicts({ headers, facts: { sniffed }, decision }: SurveyObject): boolean {
  const type = essence(headers['Content-Type'] ?? '');
  if (type === '' || sniffed === '' || goTogether(type, sniffed, decision.encoding !== undefined))
    return false;
  return type !== 'application/octet-stream' && !(isText(type) && isText(sniffed));
}

/** What the bytes of all objects of an extension are; '' where it is one alone, or they are not all the same. */
const alike = new WeakMap<SurveyContext, ReadonlyMap<string, string>>();

/** The whole extension where every object of it is the same other thing, so that one rule cures all of them. */
function patternFor(key: string, sniffed: string, context: SurveyContext): string {
  let kinds = alike.get(context);
  if (!kinds) alike.set(context, (kinds = kindsByExtension(context.objects)));
  const ending = extension(key);
  return ending !== '' && kinds.get(ending) === sniffed ? `*.${ending}` : `/${key}`;
}

function kindsByExtension(objects: readonly SurveyObject[]): Map<string, string> {
  const kinds = new Map<string, string>();
  const alone = new Set<string>();
  for (const object of objects) {
    const ending = extension(object.key);
    const kind = contradicts(object) ? object.facts.sniffed : '';
    if (kinds.has(ending)) alone.delete(ending);
    else alone.add(ending);
    kinds.set(ending, (kinds.get(ending) ?? kind) === kind ? kind : '');
  }
  for (const ending of alone) kinds.set(ending, '');
  return kinds;
}
