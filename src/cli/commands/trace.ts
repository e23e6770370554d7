import { defineCommand } from '../command.js';

export default defineCommand<object>({
  describe: 'Says why an address answers as it does.',
  examples: [['fenestra trace /drafts/plan.html', 'why it is refused']],
  options: (yargs) => yargs,
  async run() {
    return undefined;
  },
});
