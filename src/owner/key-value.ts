import { closest, distance } from 'fastest-levenshtein';
import { parse } from 'yaml';
import { DorlinError } from '../core/errors.js';

/** As much of a JSON Schema as the walk below needs. */
export interface SettingNode {
  readonly description?: string;
  readonly type?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly default?: unknown;
  readonly properties?: Readonly<Record<string, SettingNode>>;
  readonly additionalProperties?: SettingNode | boolean;
  readonly items?: SettingNode;
  readonly anyOf?: readonly SettingNode[];
}

/** A setting as it goes into the policy: where, and what; without a value it is taken away. */
export interface Setting {
  readonly path: readonly string[];
  readonly value: unknown;
}

/** One key that can be set, and what is said of it. */
export interface SettingKey {
  readonly key: string;
  readonly about?: string | undefined;
  /** The words it may be, where it is one of few. */
  readonly words?: readonly string[] | undefined;
}

/**
 * Reads `key=value` by a schema: `text.heading=Welcome`, `colors.light.button=#14383a`,
 * `languages=en-IE, fr`. A key may be written short where only one ends that way (`heading`), and nothing
 * behind `=` takes it away.
 *
 * @throws DorlinError `setting-unknown`, `setting-invalid`, each with the nearest that there is
 */
export function readSetting(schema: SettingNode, text: string): Setting {
  const at = text.indexOf('=');
  if (at < 1) {
    throw new DorlinError('setting-invalid', `\`${text}\` does not say what is to be: write KEY=VALUE.`);
  }
  const written = text.slice(at + 1);
  const path = fullKey(schema, text.slice(0, at).trim(), written);
  const nodes = nodesAt([schema], path) ?? [];
  const key = path.join('.');
  return { path, value: written.trim() === '' ? undefined : valueOf(key, written, nodes) };
}

/** All keys that can be set. */
export function settingKeys(schema: SettingNode): SettingKey[] {
  const keys: SettingKey[] = [];
  const walk = (node: SettingNode, path: readonly string[]) => {
    const inner = alternatives(node).flatMap((one) => Object.entries(one.properties ?? {}));
    // A text has one key for all languages; each of them can be set as well.
    const isWhole = alternatives(node).some((one) => one.properties === undefined);
    if (path.length > 0 && (inner.length === 0 || isWhole)) {
      const words = wordsOf(alternatives(node));
      keys.push({
        key: path.join('.'),
        about: node.description,
        words: words.length > 0 ? words : undefined,
      });
    }
    for (const [name, child] of inner) walk(child, [...path, name]);
  };
  walk(schema, []);
  return keys;
}

const alternatives = (node: SettingNode): SettingNode[] =>
  node.anyOf === undefined ? [node] : node.anyOf.flatMap(alternatives);

/** The nodes at a path; undefined where it leads nowhere. */
function nodesAt(nodes: readonly SettingNode[], path: readonly string[]): readonly SettingNode[] | undefined {
  let here = nodes.flatMap(alternatives);
  for (const name of path) {
    const next = here.flatMap(({ properties = {}, additionalProperties: others }) => {
      if (Object.hasOwn(properties, name)) return properties[name] ?? [];
      return typeof others === 'object' ? others : [];
    });
    if (next.length === 0) return undefined;
    here = next.flatMap(alternatives);
  }
  return here;
}

/** A key as it stands in the policy: whole, or what it must be the end of. */
function fullKey(schema: SettingNode, written: string, value: string): string[] {
  const path = written.split('.');
  const found = nodesAt([schema], path);
  // `button=Open` is a text; what is called so as a whole has settings of its own.
  const isGroup = found?.every((node) => node.properties !== undefined) === true;
  if (found !== undefined && (!isGroup || /^\s*(?:\{.*)?$/s.test(value))) return path;
  const keys = settingKeys(schema).map(({ key }) => key);
  // With a language behind it, as in `heading.fr`, the key is what stands before that.
  for (const [head, rest] of [
    [written, []],
    [path.slice(0, -1).join('.'), path.slice(-1)],
  ] as const) {
    if (head === '') continue;
    const ending = keys.filter((key) => key.toLowerCase().endsWith(`.${head.toLowerCase()}`));
    const [only, ...more] = ending;
    if (only !== undefined && more.length === 0) {
      const whole = [...only.split('.'), ...rest];
      if (nodesAt([schema], whole) !== undefined) return whole;
    }
    if (more.length > 0) {
      throw new DorlinError('setting-unknown', `\`${written}\` may be several: ${ending.join(', ')}.`, {
        mend: 'Write the whole key.',
      });
    }
  }
  const last = (key: string) => key.slice(key.lastIndexOf('.') + 1);
  const near = closest(written, [...keys, ...keys.map(last)]);
  const whole = keys.includes(near) ? near : (keys.find((key) => last(key) === near) ?? near);
  const isNear = distance(written, near) <= Math.max(2, written.length / 3);
  throw new DorlinError('setting-unknown', `There is no setting \`${written}\`.`, {
    ...(isNear && { mend: `Did you mean \`${whole}\`?` }),
  });
}

const wordsOf = (nodes: readonly SettingNode[]) =>
  nodes
    .flatMap((node) => [...(node.enum ?? []), ...(node.const === undefined ? [] : [node.const])])
    .filter((word) => typeof word === 'string');

const yesWords = ['true', 'yes', 'on'];
const noWords = ['false', 'no', 'off'];

/** A value as the schema has it. What is no value of it is refused when the policy is read. */
function valueOf(key: string, written: string, nodes: readonly SettingNode[]): unknown {
  const has = (type: string) => nodes.some((node) => node.type === type);
  const text = written.trim();
  const words = wordsOf(nodes);
  if (words.includes(text)) return text;
  if (has('boolean') && [...yesWords, ...noWords].includes(text.toLowerCase())) {
    return yesWords.includes(text.toLowerCase());
  }
  if ((has('number') || has('integer')) && /^-?\d+(?:\.\d+)?$/.test(text)) return Number(text);
  if (has('array')) {
    if (text.startsWith('[')) return yamlOf(key, text);
    return text.split(',').map((one) => one.trim());
  }
  const isMap = nodes.some((node) => node.type === 'object');
  if (isMap && /^\{.*:.*\}$/s.test(text)) return yamlOf(key, text);
  // A free text is anything; of words alone, one was meant.
  const isFree = nodes.some((node) => node.type === 'string' && !node.enum && node.const === undefined);
  if (isFree) return written;
  const wanted = words.length > 0 ? words : has('boolean') ? ['yes', 'no'] : [];
  const near = wanted.length > 0 ? closest(text, wanted) : undefined;
  const isNear = near !== undefined && distance(text, near) <= Math.max(2, text.length / 3);
  throw new DorlinError('setting-invalid', `\`${key}\` cannot be \`${text}\`.`, {
    mend: isNear
      ? `Did you mean \`${near}\`?`
      : wanted.length > 0
        ? `It is one of ${wanted.join(', ')}.`
        : (nodes[0]?.description ?? 'The reference tells what it may be.'),
  });
}

function yamlOf(key: string, text: string): unknown {
  try {
    return parse(text);
  } catch (cause) {
    const why = (cause as Error).message.split('\n')[0] ?? '';
    throw new DorlinError('setting-invalid', `\`${key}\`: ${why}`, {
      cause,
      mend: 'Lists and maps are written as in the policy: `[a, b]`, `{ en: …, fr: … }`.',
    });
  }
}
