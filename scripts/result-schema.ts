/** The JSON Schema of what commands print with --json, made from the types of the operations. */
import { createGenerator, type Schema } from 'ts-json-schema-generator';

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
}

export interface ResultSchema {
  readonly definitions: Readonly<Record<string, ResultNode>>;
}

/** The schema of `CommandResults`, which has every command's result as a property. */
export function resultSchema(): Schema & ResultSchema {
  return (schema ??= makeSchema());
}

/** Made once, as all types of the project are read for it. */
let schema: (Schema & ResultSchema) | undefined;

function makeSchema(): Schema & ResultSchema {
  const made = createGenerator({
    path: 'src/owner/results.ts',
    type: 'CommandResults',
    tsconfig: 'tsconfig.json',
    skipTypeCheck: true,
    expose: 'export',
    topRef: true,
    additionalProperties: false,
  }).createSchema('CommandResults');
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

/** The page of the reference about `--json`. */
export function resultsPage(note: string): string {
  const { definitions } = resultSchema();
  const commands = Object.entries(definitions['CommandResults']?.properties ?? {});
  const rows = commands.map(([name, node]) => `| \`${name}\` | ${words(node)} | ${oneLine(node.description)} |`);
  const types = Object.entries(definitions)
    .filter(([name]) => name !== 'CommandResults')
    .map(
      ([name, node]) =>
        `## ${name}\n\n${node.description ?? ''}\n\n${node.properties === undefined ? `It is ${words(node)}.` : table(node)}\n`,
    );
  return `# What commands print for machines\n\n${note} With \`--json\` every command prints one object, of the type that its operation gives back; keys do not change their meaning. Moments are RFC 3339 where a machine wrote them, and as the policy writes them (RFC 9557) where an owner did.\n\n| command | prints | |\n| --- | --- | --- |\n${rows.join('\n')}\n\n${types.join('\n')}`;
}
