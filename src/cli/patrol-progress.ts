import { SingleBar } from 'cli-progress';

/** A bar with counts, on a terminal alone. */
export function patrolProgress(isQuiet: boolean): {
  readonly show: (phase: string, done: number, all: number) => void;
  readonly end: () => void;
} {
  if (isQuiet || !process.stderr.isTTY) return { show: () => undefined, end: () => undefined };
  const bar = new SingleBar({
    format: '  {bar}  {value} of {total}  {phase}',
    barCompleteChar: '━',
    barIncompleteChar: '─',
    barsize: 28,
    hideCursor: true,
    clearOnComplete: true,
    stream: process.stderr,
    gracefulExit: false,
  });
  let isShown = false;
  return {
    show(phase, done, all) {
      if (!isShown) bar.start(all, done, { phase });
      isShown = true;
      bar.setTotal(all);
      bar.update(done, { phase });
    },
    end() {
      if (isShown) bar.stop();
      isShown = false;
    },
  };
}
