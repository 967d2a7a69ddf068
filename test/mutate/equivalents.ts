/** Changes of no effect: an answer is the same, only slower, or found in another way. */
export interface Equivalent {
  readonly file: string;
  /** The line of the change, without what it begins and ends with. */
  readonly line: string;
  /** What was put there; any change of the line, if left out. */
  readonly to?: string;
  readonly why: string;
}

export const equivalents: readonly Equivalent[] = [];
