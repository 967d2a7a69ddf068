/**
 * Where to send a visitor after a form: a path on this site, or undefined for anything that a
 * browser might take for another one (`//host`, `/\host`, schemes, control characters).
 */
export function safeTarget(to: string | undefined): string | undefined {
  if (to === undefined || to.length > 4096) return undefined;
  if (!/^\/(?![/\\])[\x21-\x7e]*$/.test(to) || to.includes('\\')) return undefined;
  return to;
}

/** The path of a target for the eyes of owners: without its query, and not too long. */
export function shownPath(target: string): string {
  const path = target.split(/[?#]/, 1)[0] ?? '';
  return path.length > 120 ? `${path.slice(0, 119)}…` : path;
}
