import ms from 'ms';

/** The words that a span may be written with, for messages. */
export const spanExample = '`30 days`, `12 hours`, `45 minutes`';

/**
 * Seconds in a span of time as people write it (`30 days`, `12 hours`, `2w`), or undefined if it
 * is not one. A bare number is refused: nobody could tell its unit.
 */
export function parseSpan(text: string): number | undefined {
  if (!/^\d+(\.\d+)?\s*[a-z]+$/i.test(text.trim())) return undefined;
  // ms answers NaN or undefined for what it cannot read, whatever its types say.
  const milliseconds: unknown = ms(text.trim() as ms.StringValue);
  if (typeof milliseconds !== 'number' || !(milliseconds >= 1000)) return undefined;
  return Math.floor(milliseconds / 1000);
}

/** A span as a policy writes it: `30 days`, `12 hours`, `90 seconds`. */
export function spanText(seconds: number): string {
  const units = [
    ['day', 86_400],
    ['hour', 3600],
    ['minute', 60],
    ['second', 1],
  ] as const;
  const [unit, length] = units.find(([, size]) => seconds % size === 0) ?? units[3];
  const count = seconds / length;
  return `${count} ${unit}${count === 1 ? '' : 's'}`;
}
