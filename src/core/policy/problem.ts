/** Something wrong in a policy: which key, and what about it. */
export interface PolicyProblem {
  readonly path: readonly (string | number)[];
  readonly message: string;
  /** Where the key stands in the text; lines and columns count from 1. */
  readonly position?: { readonly line: number; readonly column: number };
}

/** `dorlin.yaml:12:5  locks.members.covers[0]: …`, one line each. */
export function formatProblems(problems: readonly PolicyProblem[], fileName: string): string {
  return problems
    .map(({ path, message, position }) => {
      const where = position ? `${fileName}:${position.line}:${position.column}` : fileName;
      const key = formatKeyPath(path);
      return key === '' ? `${where}  ${message}` : `${where}  ${key}: ${message}`;
    })
    .join('\n');
}

function formatKeyPath(path: readonly (string | number)[]): string {
  return path.reduce<string>((text, key) => {
    if (typeof key === 'number') return `${text}[${key}]`;
    return text === '' ? key : `${text}.${key}`;
  }, '');
}
