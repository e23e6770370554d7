/** The JSON Schema of fenestra.yaml (draft 2020-12), made from the Yup schema so that the two cannot part. */
import { cardSchema } from './card-schema.js';
import { destinationSchema, schema, storeSchema } from './schema.js';

interface Described {
  readonly type: string;
  readonly optional?: boolean;
  readonly nullable?: boolean;
  readonly meta?: {
    readonly explain?: string;
    readonly default?: string;
    readonly json?: object;
    readonly words?: readonly string[];
    /** A shorter form that the mapping may have. */
    readonly short?: object;
  };
  readonly fields?: Readonly<Record<string, Described>>;
  readonly innerType?: Described;
  readonly tests?: readonly { readonly name?: string; readonly params?: Record<string, unknown> }[];
}

export const SCHEMA_ID = 'https://fenestra.example/fenestra.schema.json';

/** @param storeKinds names of the kinds of stores that there are */
export function createJsonSchema(storeKinds: Iterable<string>): Record<string, unknown> {
  const root = convert(schema.describe() as unknown as Described) as { properties: Record<string, object> };
  const destination = convert(destinationSchema.describe() as unknown as Described);
  root.properties['destinations'] = {
    ...root.properties['destinations'],
    type: 'object',
    minProperties: 1,
    additionalProperties: destination,
  };
  const store = convert(storeSchema.describe() as unknown as Described) as {
    properties: Record<string, object>;
  };
  root.properties['stores'] = {
    ...root.properties['stores'],
    type: 'object',
    // It is always there.
    propertyNames: { not: { const: 'here' } },
    additionalProperties: {
      ...store,
      properties: { ...store.properties, kind: { ...store.properties['kind'], enum: [...storeKinds] } },
      anyOf: [{ required: ['kind'] }, { required: ['module'] }],
    },
  };
  const { assign } = root.properties as { assign?: { items?: object } };
  if (assign)
    assign.items = {
      ...assign.items,
      anyOf: [{ required: ['to'] }, { required: ['type'] }],
      not: { required: ['type', 'contentType'] },
    };
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    $id: SCHEMA_ID,
    title: 'fenestra.yaml',
    ...root,
  };
}

/** The same of rate cards. */
export const createCardSchema = (): Record<string, unknown> => ({
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  $id: 'https://fenestra.example/rate-card.schema.json',
  title: 'A rate card of Fenestra',
  ...convert(cardSchema.describe() as unknown as Described),
});

function convert(described: Described): Record<string, unknown> {
  const { meta } = described;
  const text = {
    ...(meta?.explain === undefined
      ? {}
      : {
          description:
            meta.default === undefined ? meta.explain : `${meta.explain} Default: ${meta.default}.`,
        }),
  };
  if (meta?.json) return { ...meta.json, ...text };
  switch (described.type) {
    case 'object': {
      const fields = Object.entries(described.fields ?? {});
      const required = fields
        .filter(([, field]) => field.optional === false && field.tests !== undefined)
        .map(([name]) => name);
      const mapping = {
        type: 'object',
        properties: Object.fromEntries(fields.map(([name, field]) => [name, convert(field)])),
        additionalProperties: false,
        ...(required.length > 0 ? { required } : {}),
      };
      const words = meta?.words ?? [];
      if (meta?.short) return { ...text, anyOf: [meta.short, mapping] };
      return words.length > 0 ? { ...text, anyOf: [{ enum: words }, mapping] } : { ...text, ...mapping };
    }
    case 'array':
      return {
        type: 'array',
        ...text,
        ...(described.innerType ? { items: convert(described.innerType) } : {}),
      };
    case 'number':
      return { type: 'integer', minimum: 1, ...text };
    case 'boolean':
      return { type: 'boolean', ...text };
    case 'string':
      return { type: 'string', ...text };
    default:
      return text;
  }
}
