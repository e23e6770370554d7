import { isUnheard, nameRule } from '../naming-context.js';

export const nobodyAnswers = nameRule(
  {
    name: 'nobody-answers',
    level: 'error',
    explain: 'Nobody that was asked gave an answer for the name, so nothing can be said of it.',
    example: 'no network, or a resolver that is switched off',
    fix: 'Look to the network, or ask another resolver with --resolver.',
  },
  function* ({ facts }) {
    // Servers that do not answer are spoken of one by one.
    if (!isUnheard(facts)) return;
    yield {
      message: `nobody answered for ${facts.name}: ${facts.fallback === undefined ? 'no server of the root' : `${facts.fallback}, and did not answer either`}`,
      fix: 'see whether this machine has a network, or name a resolver that answers: --resolver ADDRESS',
      about: facts.name,
    };
  },
);
