import * as z from 'zod';
import { answerTypes } from './answer-types.generated.js';
import type { ConsoleAnswers } from './results.js';
import type { TypeNode } from './type-node.js';

/**
 * What the console answers, without all that its type does not name: what an operation happens to carry along
 * reaches nobody. Made from {@link ConsoleAnswers}, so that the types are said once.
 *
 * @throws Unsendable where it is not of its type, which is a mistake of ours
 */
export function sent<Name extends keyof ConsoleAnswers>(name: Name, given: ConsoleAnswers[Name]): ConsoleAnswers[Name] {
  const checked = answers.safeParse(name, given);
  if (checked.success) return checked.data as ConsoleAnswers[Name];
  throw new Unsendable(`The answer of ${name} is not what its type says: ${z.prettifyError(checked.error)}`);
}

/** What was asked for is done, and cannot be told. */
export class Unsendable extends Error {}

const answers = {
  made: new Map<string, z.ZodType>(),
  /** Made when it is first needed: most consoles need few. */
  safeParse(name: string, given: unknown) {
    const node = answerTypes['ConsoleAnswers']?.properties?.[name] ?? { $ref: `no answer ${name}` };
    const schema = this.made.get(name) ?? schemaOf(node);
    this.made.set(name, schema);
    return schema.safeParse(given);
  },
};

const named = new Map<string, z.ZodType>();

function schemaNamed(reference: string): z.ZodType {
  const name = decodeURIComponent(reference.replace('#/definitions/', ''));
  const node = answerTypes[name];
  if (node === undefined) throw new Error(`There is no type ${name} among those of the console's answers.`);
  const known = named.get(name);
  if (known !== undefined) return known;
  // Put there before it is made, as a type may be part of itself.
  named.set(
    name,
    z.lazy(() => made),
  );
  const made = schemaOf(node);
  named.set(name, made);
  return made;
}

function schemaOf(node: TypeNode): z.ZodType {
  if (node.$ref !== undefined) return schemaNamed(node.$ref);
  if (node.const !== undefined) return z.literal(node.const);
  if (node.enum !== undefined) return z.literal([...node.enum]);
  if (node.not !== undefined) return z.never();
  if (node.anyOf !== undefined) return z.union(node.anyOf.map(schemaOf));
  if (Array.isArray(node.type))
    return z.union((node.type as readonly string[]).map((type) => schemaOf({ ...node, type })));
  switch (node.type) {
    case 'string':
      return z.string();
    case 'number':
      return z.number();
    case 'boolean':
      return z.boolean();
    case 'null':
      return z.null();
    case 'array':
      return z.array(node.items === undefined ? z.unknown() : schemaOf(node.items));
    case 'object':
      return objectOf(node);
    default:
      return z.unknown();
  }
}

function objectOf({ properties, required = [], additionalProperties }: TypeNode): z.ZodType {
  if (properties === undefined) {
    const others = typeof additionalProperties === 'object' ? schemaOf(additionalProperties) : z.unknown();
    return z.record(z.string(), others);
  }
  return z.object(
    Object.fromEntries(
      Object.entries(properties).map(([key, one]) => [
        key,
        required.includes(key) ? schemaOf(one) : schemaOf(one).optional(),
      ]),
    ),
  );
}
