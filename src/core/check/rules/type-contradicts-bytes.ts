import { essence, isText } from '../../assign/media-type.js';
import { assignLine, objectRule } from '../rule.js';

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
  ({ key, headers, facts, decision }) => {
    const type = essence(headers['Content-Type'] ?? '');
    const { sniffed } = facts;
    if (type === '' || sniffed === '' || goTogether(type, sniffed, decision.encoding !== undefined))
      return undefined;
    if (type === 'application/octet-stream' || (isText(type) && isText(sniffed))) return undefined;
    return {
      message: `sent as ${type}, but its bytes are ${sniffed}`,
      fix: `rename it after what it is, or ${assignLine(`/${key}`, `contentType: ${sniffed}`)}`,
    };
  },
);
