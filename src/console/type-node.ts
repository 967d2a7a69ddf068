/** A type as JSON Schema tells it, in the few words that ours need. */
export interface TypeNode {
  readonly $ref?: string;
  readonly type?: string | readonly string[];
  readonly const?: string | number | boolean | null;
  readonly enum?: readonly (string | number | boolean | null)[];
  readonly properties?: Readonly<Record<string, TypeNode>>;
  readonly required?: readonly string[];
  readonly additionalProperties?: TypeNode | boolean;
  readonly items?: TypeNode;
  readonly anyOf?: readonly TypeNode[];
  /** What nothing is. */
  readonly not?: Readonly<Record<string, never>>;
}
