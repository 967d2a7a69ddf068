/** Lets one kind of file error pass and throws all others. */
export function ignore(code: string): (error: unknown) => undefined {
  return (error) => {
    if ((error as NodeJS.ErrnoException).code !== code) throw error;
    return undefined;
  };
}
