/** The headers given to `writeHead`, in each of the forms that it takes. */
export function headersIn(given: unknown): [string, unknown][] {
  if (typeof given !== 'object' || given === null) return [];
  if (!Array.isArray(given)) {
    return Object.entries(given).filter(([, value]) => value !== undefined);
  }
  if (given.every(Array.isArray)) return given as [string, unknown][];
  return given.flatMap((name, at): [string, unknown][] =>
    at % 2 === 0 ? [[String(name), given[at + 1]]] : [],
  );
}
