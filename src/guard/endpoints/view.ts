import { seeOther } from '../answers/answers.js';
import type { GuardContext } from '../context.js';
import { ribbonCookie, viewCookie } from '../visit/cookies.js';
import { factsBy } from '../visit/facts.js';
import { readForm } from '../visit/form.js';
import { correctedOpenCookie } from '../visit/open-locks.js';
import { safeTarget } from '../visit/target.js';
import type { Answer } from '../visit/visit.js';

/**
 * `POST /_dorlin/view`: the buttons of the bar. `do=public` shows this browser the site as the public
 * sees it, whoever it is signed in as; `own` ends that, and `away` puts the bar away.
 */
export async function answerView(context: GuardContext): Promise<Answer> {
  const fields = await readForm(context.visit);
  const to = safeTarget(fields.get('to')) ?? '/';
  const { isSecure, now } = context;
  const does = fields.get('do');
  if (does === 'away') return seeOther(to, [ribbonCookie(isSecure)]);
  if (does !== 'public' && does !== 'own') return seeOther(to, []);
  const publicSince = does === 'public' ? Math.floor(now) + 1 : undefined;
  const cookies = { ...context.cookies, publicSince };
  const open = correctedOpenCookie(context, await factsBy(context, cookies), cookies);
  return seeOther(to, [viewCookie(publicSince, isSecure), ...(open === undefined ? [] : [open])]);
}
