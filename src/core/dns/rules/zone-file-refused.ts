import { nameRule } from '../naming-context.js';

export const zoneFileRefused = nameRule(
  {
    name: 'zone-file-refused',
    level: 'error',
    explain:
      'The zone file that was given holds what servers refuse: they go on with the old zone, or answer SERVFAIL for all of it.',
    example: 'a CNAME at the apex',
    fix: 'Mend the line.',
  },
  function* ({ zoneFile }) {
    for (const { line, what, fix } of zoneFile?.faults ?? [])
      yield { key: zoneFile?.path ?? '', line, message: what, fix, about: `${zoneFile?.path ?? ''} ${line}` };
  },
);
