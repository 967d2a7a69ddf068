/** What the application varies by and what we do; `*` says it all (RFC 9110 section 12.5.5). */
export function mergedVary(given: string, ours: string | undefined): string {
  const names = given.split(',').map((name) => name.trim());
  if (names.includes('*')) return '*';
  const missing = (ours ?? '')
    .split(',')
    .map((name) => name.trim())
    .filter((name) => !names.some((other) => other.toLowerCase() === name.toLowerCase()));
  return [...names, ...missing].filter((name) => name !== '').join(', ');
}
