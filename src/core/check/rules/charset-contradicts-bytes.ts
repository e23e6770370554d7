import { isUtf8Name, parseMediaType } from '../../assign/media-type.js';
import { assignLine, objectRule } from '../rule.js';

export const charsetContradictsBytes = objectRule(
  {
    name: 'charset-contradicts-bytes',
    level: 'error',
    explain:
      'The charset in the Content-Type header is not the one that the bytes are in; the header wins in every browser, so letters come out wrong.',
    example: 'a page saved as windows-1252 and sent with charset=utf-8',
    fix: 'Save the file as UTF-8, or send the charset that it has.',
  },
  ({ key, headers, facts, decision }) => {
    if (decision.encoding !== undefined) return undefined;
    const type = parseMediaType(headers['Content-Type'] ?? '');
    const charset = type?.parameters.get('charset')?.toLowerCase();
    if (!type || charset === undefined) return undefined;
    const declared = facts.charset;
    const instead = (name: string): string =>
      `save the file as UTF-8, or ${assignLine(`/${key}`, `contentType: ${type.essence}; charset=${name}`)}`;
    if (!isUtf8Name(charset) || facts.utf8) return undefined;
    return {
      message: 'sent as utf-8, but its bytes are not UTF-8',
      fix: instead(declared !== '' && !isUtf8Name(declared) ? declared : 'windows-1252'),
    };
  },
);
