/** One measured figure, and what it should reach. */
export interface Figure {
  readonly name: string;
  readonly value: number;
  readonly unit: string;
  readonly goal: { readonly atLeast?: number; readonly atMost?: number };
  readonly isReached: boolean;
}

export function report(name: string, value: number, unit: string, goal: Figure['goal'] = {}): Figure {
  const isReached = value >= (goal.atLeast ?? -Infinity) && value <= (goal.atMost ?? Infinity);
  return { name, value, unit, goal, isReached };
}

export function median(values: readonly number[]): number {
  const sorted = [...values].sort((one, other) => one - other);
  const middle = sorted.length >> 1;
  const upper = sorted[middle] ?? NaN;
  return sorted.length % 2 === 1 ? upper : ((sorted[middle - 1] ?? NaN) + upper) / 2;
}

export function printFigure({ name, value, unit, goal, isReached }: Figure): void {
  const number = value >= 1000 ? Math.round(value).toLocaleString('en') : value.toPrecision(3);
  const { atLeast, atMost } = goal;
  const wanted =
    atLeast !== undefined
      ? `(at least ${atLeast.toLocaleString('en')}: ${isReached ? 'reached' : 'MISSED'})`
      : atMost !== undefined
        ? `(at most ${atMost.toLocaleString('en')}: ${isReached ? 'reached' : 'MISSED'})`
        : '';
  console.log(`  ${name.padEnd(58)} ${`${number} ${unit}`.trim().padStart(20)}  ${wanted}`);
}
