import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call, useKnown } from './api.js';
import type { Seen } from './seen-by.js';
import { plain, Problem } from './ui.js';

/** Why a place is open or shut to the one whose eyes one looks through, rule after rule, and what would change it. */
export function Why({ place, seen }: { readonly place: string; readonly seen: Seen }) {
  const { version } = useKnown();
  const [isOpen, setOpen] = useState(false);
  const { data, error } = useQuery({
    queryKey: ['explain', place, JSON.stringify(seen), version],
    queryFn: () => call('explain', { path: encodeURI(place), seenBy: seen }),
    enabled: isOpen,
    retry: false,
  });
  return (
    <details className="why" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>Why, and what would change it</summary>
      {isOpen && (
        <>
          <Problem error={error} />
          {data !== undefined && (
            <>
              <ol>
                {data.reasons.map(({ text }) => (
                  <li key={text}>{plain(text)}</li>
                ))}
                {data.reasons.length === 0 && <li>No lock covers it.</li>}
                {data.section !== undefined && (
                  <li>
                    {data.section.isOpen
                      ? 'The part is seen with the page.'
                      : data.section.instead === undefined
                        ? 'The part is shut with its page.'
                        : `In the place of the part stands ${data.section.instead}.`}
                  </li>
                )}
              </ol>
              <p className="answer">So the answer is {data.answer}.</p>
              <h3>What would change it</h3>
              <ul>
                {data.wouldChange.map((text) => (
                  <li key={text}>{text}</li>
                ))}
              </ul>
            </>
          )}
        </>
      )}
    </details>
  );
}
