import { create } from 'zustand';
import { temporal } from 'zundo';
import { isSame, withValue, type Written } from './written.js';

/** A design that is worked at: as it is on the screen, and as the draft has it. */
interface Designing {
  readonly name: string;
  readonly written: Written;
  readonly locks: readonly string[];
  /** As they were read last. */
  readonly base: { readonly written: Written; readonly locks: readonly string[] };
}

type Kept = Pick<Designing, 'written' | 'locks'>;

/** How long a hand rests before what follows is a step of its own, in milliseconds. */
const rest = 350;

/** Kept beside the pages: whoever leaves the room finds it as it was. */
export const useDesign = create<Designing>()(
  temporal((): Designing => ({ name: '', written: {}, locks: [], base: { written: {}, locks: [] } }), {
    limit: 200,
    partialize: ({ written, locks }): Kept => ({ written, locks }),
    equality: (one, other) => isSame(one, other),
    // What is typed or dragged in one go is one step: what was there before it is kept.
    handleSet: (keep) => {
      let timer: ReturnType<typeof setTimeout> | undefined;
      return (...all: Parameters<typeof keep>) => {
        if (timer === undefined) keep(...all);
        clearTimeout(timer);
        timer = setTimeout(() => (timer = undefined), rest);
      };
    },
  }),
);

/** Begins with a design as it was read. */
export function begin(name: string, written: Written, locks: readonly string[]): void {
  useDesign.setState({ name, written, locks, base: { written, locks } });
  useDesign.temporal.getState().clear();
}

/** Takes what was written as what the draft has. */
export function settle(): void {
  const { written, locks } = useDesign.getState();
  const { pause, resume } = useDesign.temporal.getState();
  pause();
  useDesign.setState({ base: { written, locks } });
  resume();
}

/** Takes what somebody else has written as what one’s own work began with. */
export function rebase(written: Written, locks: readonly string[]): void {
  const { pause, resume } = useDesign.temporal.getState();
  pause();
  useDesign.setState({ base: { written, locks } });
  resume();
}

export function change(key: string, value: unknown): void {
  useDesign.setState(({ written }) => ({ written: withValue(written, key, value) }));
}

export function replace(written: Written): void {
  useDesign.setState({ written });
}

export function chooseLocks(locks: readonly string[]): void {
  useDesign.setState({ locks });
}

export const isChanged = ({ written, locks, base }: Designing): boolean =>
  !isSame(written, base.written) || !isSame([...locks].sort(), [...base.locks].sort());
