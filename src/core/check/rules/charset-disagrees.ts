import { isUtf8Name, parseMediaType } from '../../assign/media-type.js';
import { assignLine, objectRule } from '../rule.js';

export const charsetDisagrees = objectRule(
  {
    name: 'charset-disagrees',
    level: 'warning',
    explain:
      'A page or style declares another charset than the Content-Type header. The header wins in every browser; whoever reads the file from disk, or through something that drops the header, sees other letters.',
    example: 'a page with <meta charset="windows-1252"> that is sent with charset=utf-8',
    fix: 'Declare in the file what the header says.',
  },
  ({ key, headers, facts, decision }) => {
    if (decision.encoding !== undefined || facts.charset === '') return undefined;
    const type = parseMediaType(headers['Content-Type'] ?? '');
    const sent = type?.parameters.get('charset')?.toLowerCase();
    // Bytes that are no UTF-8 at all are an error of their own.
    if (!type || sent === undefined || (isUtf8Name(sent) && !facts.utf8)) return undefined;
    if (sent === facts.charset || (isUtf8Name(sent) && isUtf8Name(facts.charset))) return undefined;
    return {
      message: `sent as ${sent}, but the file declares ${facts.charset}`,
      fix: `declare ${sent} in it, or ${assignLine(`/${key}`, `contentType: ${type.essence}; charset=${facts.charset}`)}`,
    };
  },
);
