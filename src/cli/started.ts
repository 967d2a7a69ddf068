/**
 * What a service has started so far. It is ended from the last to the first: when the service ends, and where
 * what comes next does not start; a process that listens to what it is told would hang otherwise, not fail.
 */
export class Started {
  readonly #ends: ((patience?: number) => unknown)[] = [];

  /** Starts what is ended by `end`, or by its own `close`. */
  async add<Part extends { close: (patience?: number) => unknown }>(starting: Part | Promise<Part>): Promise<Part> {
    const part = await starting;
    this.#ends.push((patience) => part.close(patience));
    return part;
  }

  /** Ends all of it, what does not end cleanly as well; the first failure is thrown at last. */
  readonly close = async (patience?: number): Promise<void> => {
    const failures: unknown[] = [];
    for (const end of this.#ends.splice(0).reverse()) {
      try {
        await end(patience);
      } catch (error) {
        failures.push(error);
      }
    }
    if (failures.length > 0) throw failures[0];
  };
}

/** Starts a service of several parts. Where one of them does not start, those before it are ended. */
export async function startTogether<Service>(start: (started: Started) => Promise<Service>): Promise<Service> {
  const started = new Started();
  try {
    return await start(started);
  } catch (error) {
    // Why it did not start is what is to be told.
    await started.close().catch(() => undefined);
    throw error;
  }
}
