/** The JSON Schema of what commands print with --json, and of what the console answers, made from the types of the operations. */
import { createGenerator, type Schema } from 'ts-json-schema-generator';
import * as z from 'zod';
import { calls } from '../src/console/calls.js';

/** A type as it is documented. */
export interface ResultNode {
  readonly description?: string;
  readonly $ref?: string;
  readonly type?: string | readonly string[];
  readonly const?: unknown;
  readonly enum?: readonly unknown[];
  readonly properties?: Readonly<Record<string, ResultNode>>;
  readonly required?: readonly string[];
  readonly additionalProperties?: ResultNode | boolean;
  readonly items?: ResultNode | readonly ResultNode[];
  readonly anyOf?: readonly ResultNode[];
  readonly allOf?: readonly ResultNode[];
  readonly not?: object;
}

export interface ResultSchema {
  readonly definitions: Readonly<Record<string, ResultNode>>;
}

/** The types that have every result as a property, and where they are. */
const files = { CommandResults: 'src/owner/results.ts', ConsoleAnswers: 'src/console/results.ts' };

/** The schema of all results of commands, or of the console's calls. */
export function resultSchema(type: keyof typeof files = 'CommandResults'): Schema & ResultSchema {
  return (schemas[type] ??= makeSchema(type));
}

/** Made once, as all types of the project are read for it. */
const schemas: { [type in keyof typeof files]?: Schema & ResultSchema } = {};

function makeSchema(type: keyof typeof files): Schema & ResultSchema {
  const made = createGenerator({
    path: files[type],
    type,
    tsconfig: 'tsconfig.json',
    skipTypeCheck: true,
    expose: 'export',
    topRef: true,
    additionalProperties: false,
  }).createSchema(type);
  return made as Schema & ResultSchema;
}

const nameOf = ($ref: string) => decodeURIComponent($ref.replace('#/definitions/', ''));

/** A type in a few letters: `text`, `list of Place`, `open or shut`. */
function words(node: ResultNode): string {
  if (node.$ref !== undefined) {
    const name = nameOf(node.$ref);
    return `[${name}](#${name.toLowerCase().replace(/[^\w -]/g, '')})`;
  }
  if (node.const !== undefined) return `\`${JSON.stringify(node.const)}\``;
  if (node.enum !== undefined) return node.enum.map((one) => `\`${JSON.stringify(one)}\``).join(' or ');
  if (node.anyOf !== undefined) return node.anyOf.map(words).join(' or ');
  if (node.type === 'array') {
    return `list of ${Array.isArray(node.items) ? 'values' : words((node.items ?? {}) as ResultNode)}`;
  }
  if (node.type === 'object') {
    const others = node.additionalProperties;
    const keys = Object.entries(node.properties ?? {}).map(([key, one]) => `\`${key}\`: ${words(one)}`);
    if (keys.length > 0) return `{ ${keys.join(', ')} }`;
    if (typeof others === 'object' && others.not !== undefined) return 'nothing';
    return typeof others === 'object' ? `${words(others)} by name` : 'object';
  }
  const plain: Record<string, string> = { string: 'text', boolean: 'yes or no', null: 'nothing' };
  return [node.type ?? 'anything']
    .flat()
    .map((one) => plain[one] ?? one)
    .join(' or ');
}

const oneLine = (text = '') => text.replace(/\s+/g, ' ').replaceAll('|', '\\|');

function table({ properties = {}, required = [] }: ResultNode): string {
  const rows = Object.entries(properties).map(([key, node]) => {
    const may = required.includes(key) ? '' : ' (may be missing)';
    return `| \`${key}\` | ${words(node)}${may} | ${oneLine(node.description)} |`;
  });
  return ['| key | what it is | |', '| --- | --- | --- |', ...rows].join('\n');
}

/** Every type that results are made of, but for the one that has them all. */
const typesOf = ({ definitions }: ResultSchema, all: string) =>
  Object.entries(definitions)
    .filter(([name]) => name !== all)
    .map(
      ([name, node]) =>
        `## ${name}\n\n${node.description ?? ''}\n\n${node.properties === undefined ? `It is ${words(node)}.` : table(node)}\n`,
    )
    .join('\n');

/** The page of the reference about `--json`. */
export function resultsPage(note: string): string {
  const schema = resultSchema('CommandResults');
  const commands = Object.entries(schema.definitions['CommandResults']?.properties ?? {});
  const rows = commands.map(([name, node]) => `| \`${name}\` | ${words(node)} | ${oneLine(node.description)} |`);
  return `# What commands print for machines\n\n${note} With \`--json\` every command prints one object, of the type that its operation gives back; keys do not change their meaning. Moments are RFC 3339 where a machine wrote them, and as the policy writes them (RFC 9557) where an owner did.\n\n| command | prints | |\n| --- | --- | --- |\n${rows.join('\n')}\n\n${typesOf(schema, 'CommandResults')}`;
}

const whoMay = ({ forAll, locksOf }: (typeof calls)['view']) =>
  forAll ? 'all, keepers of their locks' : locksOf === undefined ? 'owners' : 'owners, keepers of the lock';

/** The page of the reference about the console's calls. */
export function consolePage(note: string): string {
  const schema = resultSchema('ConsoleAnswers');
  const gives = schema.definitions['ConsoleAnswers']?.properties ?? {};
  const inputOf = (call: (typeof calls)['view']) => {
    const { properties = {}, required = [] } = z.toJSONSchema(call.input, {
      io: 'input',
      reused: 'inline',
    }) as ResultNode;
    const keys = Object.entries(properties).map(
      ([key, node]) => `\`${key}${required.includes(key) ? '' : '?'}\`: ${words(node)}`,
    );
    return keys.length === 0 ? '' : keys.join(', ');
  };
  const rows = Object.entries(calls as unknown as Record<string, (typeof calls)['view']>).map(
    ([name, call]) =>
      `| \`${name}\` | ${whoMay(call)} | ${call.changes ? 'yes' : ''} | ${oneLine(inputOf(call))} | ${words(gives[name] ?? {})} |`,
  );
  const others = Object.keys(gives)
    .filter((name) => !Object.hasOwn(calls, name))
    .map((name) => `| \`/api/${name}\` | ${words(gives[name] ?? {})} |`);
  return `# The console's calls\n\n${note} A call is \`POST /api/NAME\` with \`{ "input": …, "version": … }\` and answers \`{ "result": …, "version": … }\`; [the page of the console](../console.md#in-your-own-server) tells how it is made. What is sent is checked by a schema, and so is what is answered: keys that are not named here are not sent. A key with \`?\` may be left out. A call that changes something needs the newest \`version\`.\n\n| call | who may | changes | takes | gives |\n| --- | --- | --- | --- | --- |\n${rows.join('\n')}\n\n| address | answers |\n| --- | --- |\n${others.join('\n')}\n\n${typesOf(schema, 'ConsoleAnswers')}`;
}

/** The same types for the console itself, which checks by them what it sends. */
export function answerTypes(): string {
  const { definitions } = resultSchema('ConsoleAnswers');
  const bare = JSON.stringify(definitions, (key, value: unknown) =>
    key === 'description' && typeof value === 'string' ? undefined : value,
  );
  return `import type { TypeNode } from './type-node.js';\n\n/** Made from results.ts by scripts/docs.ts. */\nexport const answerTypes: Readonly<Record<string, TypeNode>> = ${bare};\n`;
}
