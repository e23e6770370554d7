/** Reading configs and rate cards: YAML and schemas are heavy, and most commands find the config as they left it. */
export { createCardSchema, createJsonSchema, SCHEMA_ID } from './json-schema.js';
export { loadConfig } from './load.js';
export { parseRuleLine } from './parse-rule-line.js';
export { loadCard } from './load-card.js';
export { cacheValue, writeFlow, writeRule } from './write-rule.js';
