/** Lets some kinds of file errors pass and throws all others. */
export function ignore(...codes: readonly string[]): (error: unknown) => undefined {
  return (error) => {
    if (!codes.includes((error as NodeJS.ErrnoException).code ?? '')) throw error;
    return undefined;
  };
}
