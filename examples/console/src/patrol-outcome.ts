import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { call, useKnown, type CallResult } from './api.js';
import { plural } from './ui.js';

type Kept = NonNullable<CallResult<'patrol.standing'>['standing']>;

export const usePatrol = (isOwner: boolean) => {
  const { version, patrols } = useKnown();
  return useQuery({
    queryKey: ['patrol', version, patrols],
    queryFn: () => call('patrol.standing', {}),
    placeholderData: keepPreviousData,
    enabled: isOwner,
    retry: false,
  });
};

export const when = (at: string) => new Date(at).toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' });

/** What the last patrol came to, in a sentence. */
export function outcomeWords({ last }: Kept): string {
  const leaks = last.leaks === 0 ? 'nothing leaks' : plural(last.leaks, 'leak');
  const left = last.isStopped
    ? '; it was stopped before the end'
    : last.left > 0
      ? '; it did not get to everything'
      : '';
  return `Patrol of ${when(last.at)}: ${leaks}${left}.`;
}
