import { linkRule } from '../rule.js';

export const importBare = linkRule(
  {
    name: 'import-bare',
    level: 'error',
    explain: 'A module imports a bare name, which means something to build tools and nothing to browsers.',
    example: "import { html } from 'templates'",
    fix: 'Write the address of the module, or map the name in an import map.',
  },
  ({ problem: trouble }) => trouble === 'bare',
  ({ raw }) => ({
    message: `imports "${raw}", a bare name that no import map explains`,
    fix: `write the address of the module, such as ./${raw}.js, or map the name in an import map`,
  }),
);
