import pLimit from 'p-limit';
import type { Ask } from './asker.js';
import type { PatrolCode } from './finding-table.js';
import { asGuest, formAt, type Guest } from './guests.js';
import { holdsLocked } from './judge.js';
import type { LeakIndex } from './leak-index.js';
import { forwarded, isLoopbackTrusted } from './address-role.js';
import { isOpenToStrangers } from './note.js';
import type { Sample } from './samples.js';
import { companionsOf, copiesOf, queriesOf, spellingsOf } from './spellings.js';
import type { Facts } from './facts.js';
import { madeUp, type Tour } from './tour.js';

/** One way around a lock, tried by a stranger. */
interface Probe {
  readonly code: PatrolCode;
  /** In words, for the finding. */
  readonly how: string;
  readonly ask: Ask;
  /** What gives it away, where that is not the content. */
  readonly isLeak?: (facts: Facts, sample: Sample) => boolean;
}

/** Tries every way around the lock of each sample. */
export async function probe(tour: Tour, index: LeakIndex, samples: readonly Sample[]): Promise<void> {
  const limit = pLimit(tour.limits.atOnce);
  // Where no lock holds, there is nothing to go around.
  const locked = samples.filter((sample) => !isOpenToStrangers(tour, index, sample));
  const tried = locked.flatMap((sample) => probesOf(tour, sample).map((one) => ({ one, sample })));
  let done = 0;
  await Promise.all(
    tried.map(({ one, sample }) =>
      limit(async () => {
        tour.progress('around the locks', ++done, tried.length);
        if (Date.now() > tour.limits.until || tour.limits.stop?.aborted === true) {
          tour.untried++;
          return;
        }
        const facts = await tour.look('probe', one.ask);
        const isLeak = one.isLeak === undefined ? isContent(tour, index, facts, sample) : one.isLeak(facts, sample);
        if (!isLeak || (await isAnyway(tour, one.ask, sample, facts))) return;
        const { lock, place } = sample;
        tour.findings.add(one.code, sample, {
          where: one.ask.target,
          how: `${one.how}: ${facts.status}`,
          about: [sample.name],
        });
        tour.checks.push({ role: 'stranger', target: sample.target, place, lock, seen: facts.seen, verdict: 'leak' });
      }),
    ),
  );
}

/**
 * Whether a site answers the very same for what is not there: under another host name, it may be
 * another site. Only where nobody was inside to compare.
 */
async function isAnyway(tour: Tour, ask: Ask, { name }: Sample, facts: Facts): Promise<boolean> {
  if (tour.insides.has(name) || ask.headers === undefined) return false;
  const control = await tour.look('probe of nothing', { ...ask, target: madeUp });
  return control.seen === 'let in' && control.digest === facts.digest;
}

/** Whether a stranger who went around a lock got what lies behind it. */
function isContent(tour: Tour, index: LeakIndex, facts: Facts, sample: Sample): boolean {
  if (facts.seen === 'sent away' || facts.seen === 'failed') return false;
  // What the address that was asked says anyway, whatever the header.
  const usual = tour.strangers.get(facts.target);
  if (facts.target !== sample.target && usual?.digest === facts.digest) return false;
  if (!holdsLocked(tour, index, facts, sample.name)) return false;
  // Where nobody was inside, what the policy leaves open is another page.
  const isKnown = tour.insides.has(sample.name);
  return isKnown || tour.expectation?.placeOf(facts.target) !== undefined;
}

function probesOf(tour: Tour, sample: Sample): Probe[] {
  const { target } = sample;
  const inside = tour.insides.get(sample.name)?.facts;
  const isPage = inside === undefined || inside.kind === 'page';
  const spelled = (code: PatrolCode, list: readonly { name: string; target: string }[]): Probe[] =>
    list.map((one) => ({ code, how: one.name, ask: { target: one.target } }));
  const with_ = (code: PatrolCode, how: string, headers: Record<string, string>, at = target): Probe => ({
    code,
    how,
    ask: { target: at, headers },
  });
  return [
    ...spelled('spelling-opens', spellingsOf(target)),
    ...(isPage ? spelled('query-opens', queriesOf(target)) : []),
    ...(isPage && !sample.isSection ? spelled('copy-open', copiesOf(target)) : []),
    ...companionProbes(target, isPage),
    ...(sample.isSection ? [] : methodProbes(target, inside, tour.strangers.get(target))),
    ...[...headerProbes(target), ...hostProbes(target)].map(([code, how, headers, at]) =>
      with_(code, how, headers, at),
    ),
    ...dataProbes(target),
    ...forgedProbes(tour, sample),
  ];
}

/** Data of a page has its words; a picture made of another has nothing of it that could be compared. */
function companionProbes(target: string, isPage: boolean): Probe[] {
  const isPicture = ({ status, headers }: Facts) =>
    status === 200 && headers['content-type']?.startsWith('image/') === true;
  return companionsOf(target, isPage).map(({ name, target: at }) => ({
    code: 'companion-opens',
    how: name,
    ask: { target: at },
    ...(isPage ? {} : { isLeak: isPicture }),
  }));
}

const is2xx = ({ status }: Facts) => status >= 200 && status < 300;

function methodProbes(target: string, inside: Facts | undefined, usual: Facts | undefined): Probe[] {
  const method = (name: string, isLeak?: Probe['isLeak'], form?: Record<string, string>): Probe => ({
    code: 'method-opens',
    how: name,
    ask: { target, method: name, form },
    ...(isLeak === undefined ? {} : { isLeak }),
  });
  const conditional = (headers: Record<string, string>): Probe => ({
    code: 'conditional-opens',
    how: Object.entries(headers)
      .map(([name, value]) => `${name}: ${value}`)
      .join(),
    ask: { target, headers },
    isLeak: ({ status }) => status === 304,
  });
  const { etag, 'last-modified': changed } = inside?.headers ?? {};
  return [
    // It has no body, but says how long that would be.
    method('HEAD', (facts) => is2xx(facts) && isOfInside(facts, inside, usual)),
    method('OPTIONS'),
    method('POST', undefined, {}),
    method('PROPFIND'),
    method('QUERY'),
    {
      code: 'range-opens',
      how: 'Range: bytes=0-99',
      ask: { target, headers: { range: 'bytes=0-99' } },
      isLeak: ({ status, bytes }) => status === 206 && bytes > 0,
    },
    conditional({ 'if-none-match': '*' }),
    conditional({ 'if-modified-since': 'Fri, 31 Dec 2100 23:59:59 GMT' }),
    ...(etag === undefined ? [] : [conditional({ 'if-none-match': etag })]),
    ...(changed === undefined ? [] : [conditional({ 'if-modified-since': changed })]),
  ];
}

/** Whether an answer without a body is that of the page, as far as its headers tell. */
function isOfInside(facts: Facts, inside: Facts | undefined, usual: Facts | undefined): boolean {
  // A screen may answer with 200 as well, to either method.
  const isScreen = usual !== undefined && is2xx(usual);
  if (inside === undefined) return !isScreen;
  const same = (name: string) => facts.headers[name] !== undefined && facts.headers[name] === inside.headers[name];
  return (
    same('etag') ||
    same('last-modified') ||
    same('content-length') ||
    (!isScreen && facts.headers['content-length'] === undefined)
  );
}

type HeaderProbe = [code: PatrolCode, how: string, headers: Record<string, string>, at?: string];

/** What one server of two takes the address from. */
function headerProbes(target: string): HeaderProbe[] {
  const names = [
    'x-original-url',
    'x-rewrite-url',
    'x-original-uri',
    'x-forwarded-uri',
    'x-forwarded-path',
    'x-override-url',
    'x-http-destinationurl',
    'x-forwarded-prefix',
  ];
  return [
    ...names.map((name): HeaderProbe => ['header-opens', `${name}: ${target} at /`, { [name]: target }, '/']),
    ...names.map((name): HeaderProbe => ['header-opens', `${name}: /`, { [name]: '/' }]),
    ['header-opens', 'x-original-method: OPTIONS', { 'x-original-method': 'OPTIONS' }],
    ['header-opens', 'x-http-method-override: HEAD', { 'x-http-method-override': 'HEAD' }],
    [
      'header-opens',
      'x-middleware-subrequest',
      { 'x-middleware-subrequest': 'middleware:middleware:middleware:middleware:middleware' },
    ],
    ['header-opens', 'sec-purpose: prefetch', { 'sec-purpose': 'prefetch', purpose: 'prefetch' }],
  ];
}

function hostProbes(target: string): HeaderProbe[] {
  const hosts = ['localhost', '127.0.0.1', 'intern.invalid', 'www.host.invalid'];
  return [
    ...hosts.map((host): HeaderProbe => ['host-opens', `host: ${host}`, { host }]),
    ['host-opens', 'x-forwarded-host: localhost', { 'x-forwarded-host': 'localhost' }],
    ['host-opens', 'absolute address', {}, `http://localhost${target}`],
  ];
}

/** What frameworks answer with the data of a page, and programs with less than a page. */
function dataProbes(target: string): Probe[] {
  const asked: readonly [string, Record<string, string>][] = [
    ['accept: application/json', { accept: 'application/json', 'sec-fetch-dest': 'empty', 'sec-fetch-mode': 'cors' }],
    ['accept: text/markdown', { accept: 'text/markdown' }],
    ['accept: text/x-component', { accept: 'text/x-component', rsc: '1' }],
    ['x-requested-with: XMLHttpRequest', { 'x-requested-with': 'XMLHttpRequest', accept: '*/*' }],
    ['x-inertia: true', { 'x-inertia': 'true', accept: 'text/html, application/xhtml+xml' }],
    ['hx-request: true', { 'hx-request': 'true', accept: '*/*' }],
    ['user-agent of a preview', { 'user-agent': 'Mozilla/5.0 (compatible; link preview)', accept: '*/*' }],
  ];
  return asked.map(([how, headers]) => ({ code: 'feed-reader-gets-in', how, ask: { target, headers } }));
}

/** What anybody can write into a request. */
function forgedProbes(tour: Tour, { target, lock }: Sample): Probe[] {
  const name = lock || 'open';
  const unsigned = [{ alg: 'none', typ: 'JWT' }, { passes: [{ l: name, p: 'x', m: 'x', t: 1 }] }]
    .map((part) => Buffer.from(JSON.stringify(part)).toString('base64url'))
    .join('.');
  const cookies = [
    `dorlin-open=${name}`,
    `dorlin=${unsigned}.`,
    `__Host-dorlin=${unsigned}.`,
    'admin=1; loggedin=true; preview=1',
  ];
  const probes: Probe[] = cookies.map((cookie) => ({
    code: 'forged-cookie-opens',
    how: `cookie: ${cookie.slice(0, 60)}`,
    ask: { target, headers: { cookie } },
  }));
  // Where the site believes what this machine says, all of these are said rightly.
  if (isLoopbackTrusted(tour)) return probes;
  const addresses = ['127.0.0.1', '::1', '10.0.0.1'];
  const header = tour.expectation?.policy.identity?.header;
  const said = [header?.person ?? 'x-user', header?.roles ?? 'x-roles'];
  const roles = [...(tour.expectation?.policy.bypasses.values() ?? [])].flatMap((one) => one.roles ?? []);
  return [
    ...probes,
    ...addresses.map((address): Probe => ({
      code: 'forged-address-opens',
      how: `x-forwarded-for: ${address}`,
      ask: {
        target,
        headers: { ...forwarded(address), 'x-real-ip': address, 'x-client-ip': address, 'true-client-ip': address },
      },
    })),
    {
      code: 'forged-identity-opens',
      how: said.join(' and '),
      ask: {
        target,
        headers: Object.fromEntries(
          said.map((one, at) => [one.toLowerCase(), at === 0 ? 'admin' : ['admin', ...roles].join(',')]),
        ),
      },
    },
  ];
}

/** How caches may keep what guests get, who else may read it, and whether leaving ends it. */
export async function probeGuests(tour: Tour, index: LeakIndex, samples: readonly Sample[]): Promise<void> {
  for (const guest of tour.guests) {
    const own = samples.filter(({ lock, name }) => lock === guest.lock && tour.insides.has(name));
    for (const sample of own) await probeGuest(tour, index, guest, sample);
    const [first] = own;
    if (first !== undefined) await probeLeaving(tour, index, guest, first);
  }
  for (const facts of tour.strangers.values()) checkScreen(tour, facts);
}

async function probeGuest(tour: Tour, index: LeakIndex, guest: Guest, sample: Sample): Promise<void> {
  const { target } = sample;
  const { jar, headers: own } = asGuest(guest);
  const origin = 'https://elsewhere.invalid';
  const facts = await tour.look(`guest of ${guest.lock}, from another site`, {
    target,
    jar,
    headers: { ...own, origin },
  });
  const { headers, seen } = facts;
  if (seen === 'let in') {
    const kept = keptBy(headers);
    if (kept !== undefined) tour.findings.add('cache-may-keep', sample, { where: target, how: kept });
    const allowed = headers['access-control-allow-origin'];
    const isForOthers = allowed === origin && headers['access-control-allow-credentials'] === 'true';
    if (isForOthers)
      tour.findings.add('other-sites-may-read', sample, {
        where: target,
        how: `access-control-allow-origin: ${origin}`,
      });
  }
  // Whatever stands between has the guest's answer now, if it keeps any.
  const after = await tour.look('stranger after a guest', { target });
  if (!isOpenToStrangers(tour, index, sample) && holdsLocked(tour, index, after, sample.name)) {
    const age = after.headers['age'] === undefined ? '' : `, kept for ${after.headers['age']} s`;
    const { place, lock } = sample;
    tour.findings.add('cached-copy-open', sample, {
      where: target,
      how: `asked by a stranger after a guest: ${after.status}${age}`,
    });
    tour.checks.push({ role: 'stranger', target, place, lock, seen: after.seen, verdict: 'leak' });
  }
}

/** Why a shared cache may store an answer (RFC 9111 section 3); undefined where it may not. */
function keptBy(headers: Facts['headers']): string | undefined {
  const control = headers['cache-control']?.toLowerCase() ?? '';
  const vary = headers['vary']?.toLowerCase() ?? '';
  if (/\b(?:no-store|private|no-cache)\b/.test(control)) return undefined;
  if (vary === '*' || /\bcookie\b/.test(vary)) return undefined;
  if (control !== '') return `cache-control: ${control}`;
  if (headers['expires'] !== undefined) return `expires: ${headers['expires']}`;
  return headers['last-modified'] === undefined ? undefined : 'no Cache-Control, so caches may guess by Last-Modified';
}

async function probeLeaving(tour: Tour, index: LeakIndex, guest: Guest, sample: Sample): Promise<void> {
  const stranger = tour.strangers.get(sample.target);
  const form = stranger && (formAt(stranger, undefined) ?? stranger.forms[0]);
  const action = form?.action.replace(/\/unlock$/, '/leave');
  if (action === undefined || action === form?.action) return;
  const jar = guest.jar.copy();
  const headers = { origin: tour.asker.origin, 'sec-fetch-site': 'same-origin' };
  await tour.asker.ask({ target: action, method: 'POST', headers, form: {}, jar });
  const facts = await tour.look(`guest of ${guest.lock} who left`, { target: sample.target, jar });
  if (!holdsLocked(tour, index, facts, sample.name)) return;
  tour.findings.add('leave-keeps-open', sample, { where: sample.target, how: `asked after leaving: ${facts.status}` });
}

/** What a screen says about itself to caches and search engines. */
function checkScreen(tour: Tour, facts: Facts): void {
  if (facts.seen !== 'screen') return;
  const { target, headers, status, forms } = facts;
  const of = { place: tour.expectation?.placeOf(target)?.place ?? target, lock: forms[0]?.lock ?? '' };
  if (!/no-store/.test(headers['cache-control'] ?? '')) {
    tour.findings.add('screen-may-be-kept', of, {
      where: target,
      how: `cache-control: ${headers['cache-control'] ?? 'none'}`,
    });
  }
  if (status === 200 && !/noindex/.test(headers['x-robots-tag'] ?? '')) {
    tour.findings.add('screen-may-be-indexed', of, { where: target, how: 'answers 200' });
  }
}
