import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { call, useKnown, type CallResult, type Session } from './api.js';
import { announce, listed, plural, Problem, useAct } from './ui.js';

type Review = NonNullable<CallResult<'review'>['review']>;

/** What the draft would do, in a sentence. */
export function sentenceOf({ closed, opened, moved, ways }: Review): string {
  const words = [
    closed.length > 0 ? `closes ${plural(closed.length, 'place')} to strangers` : '',
    opened.length > 0 ? `opens ${plural(opened.length, 'place')}` : closed.length > 0 ? 'opens none' : '',
    moved.length > 0 ? `puts ${plural(moved.length, 'place')} under another lock` : '',
  ].filter(Boolean);
  const count = (change: string, kind: string) =>
    ways.filter((way) => way.change === change && way.kind === kind).length;
  const more = (['password', 'link', 'bypass'] as const).flatMap((kind) => {
    const name = kind === 'bypass' ? ['rule without password', 'rules without password'] : [kind, `${kind}s`];
    const of = (number: number) => (number === 1 ? `one ${name[0] ?? ''}` : `${number} ${name[1] ?? ''}`);
    return [
      count('added', kind) > 0 && `${of(count('added', kind))} more`,
      count('ended', kind) > 0 && `${of(count('ended', kind))} less`,
      count('changed', kind) > 0 && `${of(count('changed', kind))} changed`,
    ].filter((one) => one !== false);
  });
  const first = words.join(', ') || (more.length > 0 ? '' : 'changes settings, and nothing that strangers get');
  return [first, listed(more)].filter(Boolean).join('; ');
}

/** The strip along the bottom: what is not live yet. */
export function Strip({ onReview, session }: { readonly onReview: () => void; readonly session: Session }) {
  const { version } = useKnown();
  const { data } = useQuery({
    queryKey: ['review', version],
    queryFn: () => call('review', {}),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const undo = useAct(async () => {
    await call('draft.undo', {});
    announce('Undone.');
  });
  if (session.draft === undefined || data?.draft === undefined || data.review === undefined) return null;
  return (
    <section className="strip" aria-label="Not live yet">
      <p>
        Not live yet: <em>{sentenceOf(data.review)}</em>.{data.draft.isBehind && ' The policy was changed meanwhile.'}
      </p>
      <Problem error={undo.error} />
      <span className="buttons">
        <button type="button" disabled={undo.isBusy} onClick={() => void undo.act()}>
          Undo
        </button>
        <button type="button" className="main" onClick={onReview}>
          Review and go live
        </button>
      </span>
    </section>
  );
}
