import { useEffect, useId, useRef, useState, type ReactNode } from 'react';
import { Refused } from './api.js';

let tell: (text: string) => void = () => undefined;

/** Says something to whoever listens to a screen reader, and for a while to everybody. */
export const announce = (text: string): void => {
  tell(text);
};

export function Announcer() {
  const [text, setText] = useState('');
  useEffect(() => {
    tell = setText;
  }, []);
  useEffect(() => {
    if (text === '') return undefined;
    const timer = setTimeout(() => {
      setText('');
    }, 6000);
    return () => {
      clearTimeout(timer);
    };
  }, [text]);
  return (
    <div className="announcer" role="status" aria-live="polite">
      {text}
    </div>
  );
}

/** A dialog of the browser’s own: what is behind it waits, Escape leaves it. */
export function Dialog({
  title,
  onClose,
  children,
  wide = false,
}: {
  readonly title: string;
  readonly onClose: () => void;
  readonly children: ReactNode;
  readonly wide?: boolean;
}) {
  const ref = useRef<HTMLDialogElement>(null);
  const id = useId();
  useEffect(() => {
    const dialog = ref.current;
    if (dialog === null) return undefined;
    const opener = document.activeElement;
    dialog.showModal();
    return () => {
      dialog.close();
      if (opener instanceof HTMLElement && opener.isConnected) opener.focus();
    };
  }, []);
  return (
    <dialog
      ref={ref}
      className={wide ? 'wide' : undefined}
      aria-labelledby={id}
      onCancel={(event) => {
        event.preventDefault();
        onClose();
      }}
    >
      <header>
        <h2 id={id}>{title}</h2>
        <button type="button" className="plain" onClick={onClose}>
          Close
        </button>
      </header>
      {children}
    </dialog>
  );
}

/** Something to do that takes a while and may be refused. */
export function useAct<Input extends unknown[]>(work: (...input: Input) => Promise<void>) {
  const [error, setError] = useState<Refused>();
  const [isBusy, setBusy] = useState(false);
  const act = async (...input: Input): Promise<boolean> => {
    setBusy(true);
    setError(undefined);
    try {
      await work(...input);
      return true;
    } catch (failed) {
      setError(failed instanceof Refused ? failed : new Refused('failed', String(failed), ''));
      return false;
    } finally {
      setBusy(false);
    }
  };
  return { act, error, isBusy, clear: () => setError(undefined) };
}

/** A form that does something instead of being sent anywhere. */
export function Form({ act, children }: { readonly act: () => Promise<boolean>; readonly children: ReactNode }) {
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void act();
      }}
    >
      {children}
    </form>
  );
}

export function Problem({ error }: { readonly error: Refused | Error | null | undefined }) {
  if (!error) return null;
  const { message } = error;
  const mend = error instanceof Refused ? error.mend : '';
  return (
    <p className="problem" role="alert">
      {plain(message)} {plain(mend)}
    </p>
  );
}

/** Words that are for the terminal as well, without its commands and marks of code. */
export const plain = (text: string): string =>
  text
    .replace(/(?::|, or) `dorlin [^`]*`/g, '')
    .replaceAll('`dorlin explain`', '“Why”, at its door,')
    .replaceAll('`', '');

export function Field({
  label,
  hint,
  children,
}: {
  readonly label: string;
  readonly hint?: ReactNode;
  readonly children: (props: { id: string; 'aria-describedby'?: string }) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      {children({ id, ...(hint !== undefined && { 'aria-describedby': `${id}-hint` }) })}
      {hint !== undefined && (
        <p className="hint" id={`${id}-hint`}>
          {hint}
        </p>
      )}
    </div>
  );
}

/** A choice among a few, as buttons of which one is down. */
export function Choice<Value extends string>({
  label,
  value,
  options,
  onChange,
}: {
  readonly label: string;
  readonly value: Value;
  readonly options: readonly (readonly [Value, string])[];
  readonly onChange: (value: Value) => void;
}) {
  return (
    <div className="choice" role="radiogroup" aria-label={label}>
      {options.map(([one, words]) => (
        <label key={one} className={one === value ? 'on' : undefined}>
          <input
            type="radio"
            checked={one === value}
            onChange={() => {
              onChange(one);
            }}
          />
          {words}
        </label>
      ))}
    </div>
  );
}

/** Some of a few, by ticking them. */
export function Choices({
  legend,
  all,
  chosen,
  empty,
  onChange,
}: {
  readonly legend: string;
  readonly all: readonly string[];
  readonly chosen: readonly string[];
  /** What is said where there is none. */
  readonly empty?: string;
  readonly onChange: (chosen: readonly string[]) => void;
}) {
  return (
    <fieldset>
      <legend>{legend}</legend>
      {all.length === 0 && empty !== undefined && <p className="hint">{empty}</p>}
      {all.map((one) => (
        <label key={one} className="check">
          <input
            type="checkbox"
            checked={chosen.includes(one)}
            onChange={() => onChange(chosen.includes(one) ? chosen.filter((other) => other !== one) : [...chosen, one])}
          />
          {one}
        </label>
      ))}
    </fieldset>
  );
}

export const plural = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;

/** `a`, `a and b`, `a, b and c`. */
export const listed = (words: readonly string[]): string =>
  words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} and ${words.at(-1) ?? ''}`;

/** A moment as a policy writes it, in words: `14 December 2026`, with the time where it is not midnight. */
export function momentWords(text: string | undefined): string {
  const [, date, time] = /^(\d{4}-\d{2}-\d{2})(?:T(\d{2}:\d{2}))?/.exec(text ?? '') ?? [];
  if (date === undefined) return text ?? '';
  const day = new Date(`${date}T12:00:00Z`).toLocaleDateString('en-GB', { dateStyle: 'long', timeZone: 'UTC' });
  return time === undefined || time === '00:00' ? day : `${day}, ${time}`;
}

export function windowWords(from: string | undefined, until: string | undefined): string {
  if (from === undefined && until === undefined) return 'always';
  if (from === undefined) return `until ${momentWords(until)}`;
  if (until === undefined) return `from ${momentWords(from)}`;
  return `${momentWords(from)} to ${momentWords(until)}`;
}

/** From when and until when something counts. */
export function Times({
  from,
  until,
  onFrom,
  onUntil,
}: {
  readonly from: string;
  readonly until: string;
  readonly onFrom: (moment: string) => void;
  readonly onUntil: (moment: string) => void;
}) {
  const field = (label: string, value: string, onChange: (moment: string) => void) => (
    <Field label={label}>
      {(props) => (
        <input {...props} type="datetime-local" value={value} onChange={(event) => onChange(event.target.value)} />
      )}
    </Field>
  );
  return (
    <div className="pair">
      {field('From', from, onFrom)}
      {field('Until', until, onUntil)}
    </div>
  );
}
