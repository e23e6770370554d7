import { objectRuleOfRelease } from '../rule.js';

export const mediaWithoutRange = objectRuleOfRelease(
  {
    name: 'media-without-range',
    level: 'warning',
    explain:
      'A film or sound is stored compressed. Ranges then count compressed bytes, so players cannot seek, and some do not play at all; it saves nothing either.',
    example: '{ to: "film/**", encoding: gzip }',
    fix: 'Leave films and sounds as they are.',
  },
  ({ key, headers }) =>
    headers['Content-Encoding'] !== undefined && /^(?:audio|video)\//.test(headers['Content-Type'] ?? '')
      ? {
          message: `stored with ${headers['Content-Encoding']}, so players cannot seek in it`,
          fix: `leave ${key} out of the rule that gives encoding`,
        }
      : undefined,
);
