import { releaseRule } from '../rule.js';

const LOCAL = /^http:\/\/(?:localhost|[^/]*\.localhost|127\.\d+\.\d+\.\d+|\[::1\])[:/]/;

export const secureFeatureOverHttp = releaseRule(
  {
    name: 'secure-feature-over-http',
    level: 'warning',
    explain:
      'A script asks for something that browsers give to secure pages alone, and the site is reached over plain HTTP.',
    example: 'navigator.serviceWorker.register(…) at http://www.mill.example/',
    fix: 'Publish under an https address.',
  },
  function* ({ secureFeatures, address }) {
    if (!address.startsWith('http:') || LOCAL.test(address)) return;
    for (const { key, line, what } of secureFeatures)
      yield {
        key,
        line,
        message: `asks for ${what}, which browsers refuse at ${address}`,
        fix: `reach the site over https: address: ${address.replace(/^http:/, 'https:')}`,
      };
  },
);
