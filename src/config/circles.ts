/** Moved addresses that lead back to themselves: a fault that the config alone shows. */
import { listCircles } from '../core/hosting/moved.js';
import type { Config, ConfigFault } from './config.js';
import { quoteName } from './fields.js';
import { locate } from './locate.js';
import type { ParsedConfig } from './parsed-config.js';

/** Each circle of each destination once, in the order of the file. */
export function listCircleFaults({ document, lines }: ParsedConfig, config: Config): ConfigFault[] {
  const faults = new Map<string, ConfigFault>();
  for (const { name, siteSettings } of config.destinations) {
    for (const { from, steps } of listCircles(siteSettings.moved)) {
      const kind = Object.hasOwn(siteSettings.moved.permanently, from) ? 'permanently' : 'temporarily';
      const own = ['destinations', name, 'moved', kind, from];
      const path = document.hasIn(own)
        ? `destinations.${quoteName(name)}.moved.${kind}.${quoteName(from)}`
        : `moved.${kind}.${quoteName(from)}`;
      const message = `the moved address ${from} leads back to itself: ${[...steps, from].join(' → ')}`;
      const fault = { ...locate(document, lines, path, true), path, message };
      faults.set(`${fault.line}:${fault.column}:${message}`, fault);
    }
  }
  return [...faults.values()].sort((a, b) => a.line - b.line || a.column - b.column);
}
