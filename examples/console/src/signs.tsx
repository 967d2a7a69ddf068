import type { Outcome } from './tree-model.js';

type Sign = 'open' | 'asked' | 'hidden' | 'closed' | 'away';

/** Four doors for four states, and an arrow: they differ in shape as well as in color. */
export const signOf: Readonly<Record<Outcome, Sign>> = {
  open: 'open',
  'let-in': 'open',
  asked: 'asked',
  prompted: 'asked',
  closed: 'closed',
  refused: 'closed',
  hidden: 'hidden',
  'sent-away': 'away',
};

export const outcomeWords: Readonly<Record<Outcome, string>> = {
  open: 'gets it',
  'let-in': 'is let in',
  asked: 'is asked',
  prompted: 'is asked by the browser',
  closed: 'closed',
  hidden: 'not found',
  'sent-away': 'sent elsewhere',
  refused: 'refused',
};

const arch = 'M2.5 17V7.5a5.5 5.5 0 0 1 11 0V17z';

export function DoorSign({ sign }: { readonly sign: Sign }) {
  return (
    <svg className={`sign ${sign}`} viewBox="0 0 16 18" width="16" height="18" aria-hidden="true">
      {sign === 'open' && (
        <>
          <path d={arch} fill="none" stroke="currentColor" strokeWidth="1.6" />
          <path d="M8 3.2v13.8L3 15V7.6A5 5 0 0 1 8 3.2z" fill="currentColor" />
        </>
      )}
      {sign === 'asked' && (
        <>
          <path d={arch} fill="currentColor" />
          <circle cx="8" cy="8.6" r="1.7" className="cut" />
          <path d="M7.3 9h1.4l.6 4H6.7z" className="cut" />
        </>
      )}
      {sign === 'hidden' && (
        <path d={arch} fill="none" stroke="currentColor" strokeWidth="1.6" strokeDasharray="2.2 1.8" />
      )}
      {sign === 'closed' && (
        <>
          <path d={arch} fill="none" stroke="currentColor" strokeWidth="1.6" />
          <path d="M2.5 8.5h11M2.5 12.5h11" stroke="currentColor" strokeWidth="2" />
        </>
      )}
      {sign === 'away' && (
        <>
          <path d={arch} fill="none" stroke="currentColor" strokeWidth="1.6" />
          <path d="M5 11h6M8.5 8.5 11 11l-2.5 2.5" fill="none" stroke="currentColor" strokeWidth="1.6" />
        </>
      )}
    </svg>
  );
}

export function OutcomeSign({ outcome }: { readonly outcome: Outcome }) {
  return (
    <span className={`outcome ${signOf[outcome]}`}>
      <DoorSign sign={signOf[outcome]} /> {outcomeWords[outcome]}
    </span>
  );
}
