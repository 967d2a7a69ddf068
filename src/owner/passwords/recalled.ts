import { forgetEndedPasswords } from '../../stores/draft.js';

/** Whether the text of what ended could be taken out of what can be looked up. */
export interface Forgotten {
  /** Why not, where it could not. By then the edit counts, so it is told, and no error. */
  readonly notForgotten?: string | undefined;
}

/**
 * Forgets the text of passwords that neither the policy nor its draft has. It stays with the step that
 * `back` would take back, for as long as there is one.
 */
export async function forgetEnded(policyFile: string, isNeeded = true): Promise<Forgotten> {
  if (!isNeeded) return {};
  try {
    await forgetEndedPasswords(policyFile);
    return {};
  } catch (error) {
    return { notForgotten: error instanceof Error ? error.message : 'unknown' };
  }
}
