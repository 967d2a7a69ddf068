import { seeded } from './random.js';

interface LogEntry {
  readonly night: string;
  readonly observer: string;
  readonly star: string;
  readonly magnitude: number;
  readonly seeing: number;
  readonly remark: string;
}

const observers = ['Imke Sollis', 'Tomas Varley', 'Oona Brack', 'Bran Ellery', 'Halla Reve'];
const variables = ['R Leonis', 'T Cephei', 'Chi Cygni', 'SS Cygni', 'R Scuti', 'Mira'];
const remarks = ['', '', '', 'thin cloud', 'frost on the finder', 'fox nearby', 'through a gap', 'owl complained'];

/** A season's measurements, the same at every build. */
export function nightLog(): LogEntry[] {
  const random = seeded(2026);
  const pick = <T>(from: readonly T[]) => from[Math.floor(random() * from.length)] as T;
  return Array.from({ length: 120 }, (_, at) => ({
    night: new Date(Date.UTC(2026, 8, 1 + Math.floor(at * 0.64))).toISOString().slice(0, 10),
    observer: pick(observers),
    star: pick(variables),
    magnitude: Math.round((6 + random() * 7) * 10) / 10,
    seeing: 1 + Math.floor(random() * 5),
    remark: pick(remarks),
  }));
}

export function logAsCsv(log: readonly LogEntry[]): string {
  const keys = ['night', 'observer', 'star', 'magnitude', 'seeing', 'remark'] as const;
  return [keys.join(','), ...log.map((entry) => keys.map((key) => entry[key]).join(','))].join('\r\n') + '\r\n';
}
