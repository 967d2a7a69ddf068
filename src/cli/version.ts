import { readFileSync } from 'node:fs';

/** The version of this package. */
export function version(): string {
  const about = readFileSync(new URL('../../package.json', import.meta.url), 'utf8');
  return (JSON.parse(about) as { version: string }).version;
}
