/** Tells somebody who may fail; what is told of goes on all the same. */
export function tell(telling: () => void): void {
  try {
    telling();
  } catch (error) {
    process.emitWarning(error instanceof Error ? error : String(error));
  }
}

export const messageOf = (error: unknown): string => (error instanceof Error ? error.message : 'unknown');
