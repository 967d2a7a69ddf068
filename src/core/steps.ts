/** Work in short steps, so that whoever does it may do something else between them. */
export type Steps<Result> = Generator<undefined, Result, undefined>;

/** Does all steps at once. */
export function atOnce<Result>(steps: Steps<Result>): Result {
  for (;;) {
    const step = steps.next();
    if (step.done === true) return step.value;
  }
}

/** Does the steps with a pause between each two. @param pause - gives others their turn */
export async function withPauses<Result>(steps: Steps<Result>, pause: () => Promise<void>): Promise<Result> {
  for (;;) {
    const step = steps.next();
    if (step.done === true) return step.value;
    await pause();
  }
}
