/** A front that answers otherwise at some visits, and why: each is named in the documents. */
export interface Deviation {
  readonly fronts: readonly string[];
  readonly why: string;
  /** By the name of the case: what the front answers. */
  readonly answers: Readonly<Record<string, string>>;
}

const screen = '403 screen strict unindexed unstored';

/** Fronts of fetch style in runtimes which resolve addresses before anybody sees them. */
const resolved = ['fetch, Hono inside', 'Hono 4, as middleware', 'Bun'];

const byServer = (server: string) => [server, `${server}, before an application`, `${server}, HTTP/2 and TLS`];
const nginxes = byServer('nginx');
const caddies = byServer('Caddy');

export const deviations: readonly Deviation[] = [
  {
    fronts: resolved,
    why: 'An address of the fetch standard has its dot segments resolved before a handler sees it, so the guard judges what it leads to.',
    answers: { 'with dots': screen, 'with encoded dots': screen },
  },
  {
    fronts: ['Bun'],
    why: 'A backslash in an address is read as a slash, as browsers do, before a handler sees it.',
    answers: { 'with a backslash': screen },
  },
  {
    fronts: ['fetch, Hono inside', 'Hono 4, as middleware'],
    why: 'Hono’s server for Node refuses a backslash itself.',
    answers: { 'with a backslash': '400' },
  },
  {
    fronts: ['Hono 4, as middleware'],
    why: 'A middleware of Hono comes after the choice of the route, so it sends an address that is not in its normal form there first.',
    answers: { 'in bytes of another alphabet': '308 to:/m%C3%A9mbers/log unindexed unstored' },
  },
  {
    fronts: ['vite dev', 'vite preview'],
    why: 'Vite answers OPTIONS itself, before anybody else is asked.',
    answers: { 'asked for with OPTIONS': '204' },
  },
  {
    fronts: ['Bun', 'workerd'],
    why: 'The host that an absolute target names takes the place of the header `Host` before a handler sees either.',
    answers: { 'whole, with another host': screen },
  },
  {
    fronts: ['nginx, HTTP/2 and TLS'],
    why: 'A target of HTTP/2 is a path; nginx refuses any other.',
    answers: { 'whole, with its host': '400', 'whole, with another host': '400', 'open, and whole': '400' },
  },
  {
    fronts: ['Caddy, HTTP/2 and TLS'],
    why: 'By HTTP/2 the host is told beside the target, and Caddy leaves aside what a target says of it.',
    answers: { 'whole, with another host': screen },
  },
  {
    fronts: ['nginx', 'nginx, before an application'],
    why: 'nginx takes the host out of an absolute target, and hands on that one alone.',
    answers: { 'whole, with another host': screen },
  },
  {
    fronts: ['Caddy', 'Caddy, before an application'],
    why: 'Caddy answers nothing for hosts that its configuration does not name.',
    answers: { 'whole, with another host': '200' },
  },
  {
    fronts: [...nginxes, ...caddies],
    why: 'Who a visitor is must be said by the web server itself: what visitors send of it is taken away.',
    answers: { 'a warden': screen, 'a hidden folder, to a warden': '404 missing' },
  },
  {
    fronts: nginxes,
    why: 'nginx refuses a NUL itself.',
    answers: { 'with a NUL': '400' },
  },
  {
    fronts: nginxes,
    why: 'nginx writes the text of a challenge itself.',
    answers: {
      'basic, to a tool': '401 challenge unindexed unstored',
      'basic, wrong': '401 challenge unindexed unstored',
    },
  },
  {
    fronts: ['nginx, before an application'],
    why: 'The address is nginx’s own, and nobody else’s; for whoever else asks, there is nothing.',
    answers: {
      'a web server’s question, from outside': '404',
      'the same, with what it asks about': '404',
    },
  },
  {
    fronts: caddies,
    why: 'The address is Caddy’s own, and nobody else’s; it refuses in its own words.',
    answers: {
      'a web server’s question, from outside': '404',
      'the same, with what it asks about': '404',
    },
  },
];

/** What a front has to answer at a case. */
export function expectedOf(
  front: string,
  { name, expect }: { readonly name: string; readonly expect: string },
): string {
  return deviations.find(({ fronts, answers }) => fronts.includes(front) && name in answers)?.answers[name] ?? expect;
}
