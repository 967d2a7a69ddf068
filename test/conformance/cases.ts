/** One visit, and what every front has to answer. */
export interface Case {
  readonly name: string;
  readonly target: string;
  /** @default GET */
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string>>;
  /** The lock that this browser has opened before. @default none */
  readonly guestOf?: string;
  /** Fields that are sent as a form. */
  readonly form?: Readonly<Record<string, string>>;
  /** The status, then in the order of the alphabet what the answer is and holds; see `markOf`. */
  readonly expect: string;
}

const warden = { 'x-user': 'imke', 'x-roles': 'warden' };
const basic = (text: string) => ({ authorization: `Basic ${Buffer.from(text).toString('base64')}` });
const right = 'amber heron over quiet water';

export const cases: readonly Case[] = [
  { name: 'an open page', target: '/about', expect: '200 about' },
  { name: 'the start page', target: '/', expect: '200 home' },
  { name: 'an open page, its head', target: '/about', method: 'HEAD', expect: '200' },
  { name: 'a page that is not there', target: '/nowhere', expect: '404 missing' },
  { name: 'a locked page', target: '/members/log', expect: '403 screen strict unindexed unstored' },
  { name: 'its folder', target: '/members/', expect: '403 screen strict unindexed unstored' },
  { name: 'a locked file', target: '/members/plan.txt', expect: '403 screen strict unindexed unstored' },
  {
    name: 'a part of it',
    target: '/members/plan.txt',
    headers: { range: 'bytes=0-9' },
    expect: '403 screen strict unindexed unstored',
  },
  { name: 'its head', target: '/members/log', method: 'HEAD', expect: '403 strict unindexed unstored' },
  { name: 'an exception', target: '/members/join', expect: '200 about' },
  { name: 'in another spelling', target: '/MEMBERS//%6cog.html', expect: '403 screen strict unindexed unstored' },
  { name: 'with dots', target: '/about/../members/log', expect: '400 unindexed unstored' },
  { name: 'with encoded dots', target: '/about/%2e%2e/members/log', expect: '400 unindexed unstored' },
  { name: 'with an encoded slash', target: '/members%2flog', expect: '403 screen strict unindexed unstored' },
  { name: 'encoded twice', target: '/%256dembers/log', expect: '400 unindexed unstored' },
  { name: 'with a backslash', target: '/members\\log', expect: '400 unindexed unstored' },
  { name: 'with a semicolon', target: '/members;a=b/log', expect: '403 screen strict unindexed unstored' },
  { name: 'with two slashes before it', target: '//members/log', expect: '403 screen strict unindexed unstored' },
  { name: 'with a query', target: '/members/log?a=b&c=%2F', expect: '403 screen strict unindexed unstored' },
  { name: 'with a NUL', target: '/members/log%00.txt', expect: '400 unindexed unstored' },
  { name: 'in bytes of another alphabet', target: '/m%c3%a9mbers/log', expect: '404 missing' },
  {
    name: 'whole, with its host',
    target: 'http://heron.example/members/log',
    expect: '403 screen strict unindexed unstored',
  },
  { name: 'whole, with another host', target: 'http://other.example/members/log', expect: '400 unindexed unstored' },
  { name: 'open, and whole', target: 'http://heron.example/about', expect: '200 about' },
  {
    name: 'asked for with OPTIONS',
    target: '/members/log',
    method: 'OPTIONS',
    expect: '403 screen strict unindexed unstored',
  },
  { name: 'asked for with PUT', target: '/members/log', method: 'PUT', expect: '403 screen strict unindexed unstored' },
  {
    name: 'under a condition',
    target: '/members/log',
    headers: { 'if-none-match': '*' },
    expect: '403 screen strict unindexed unstored',
  },
  {
    name: 'by an address that a header names',
    target: '/about',
    headers: { 'x-original-url': '/members/log', 'x-rewrite-url': '/members/log', 'x-forwarded-uri': '/members/log' },
    expect: '200 about',
  },
  {
    name: 'posted to',
    target: '/members/log',
    method: 'POST',
    form: { a: 'b' },
    expect: '403 screen strict unindexed unstored',
  },
  { name: 'a guest', target: '/members/log', guestOf: 'members', expect: '200 log unindexed unstored' },
  {
    name: 'a guest asks for a part',
    target: '/members/plan.txt',
    guestOf: 'members',
    expect: '200 plan unindexed unstored',
  },
  {
    name: 'a guest of another lock',
    target: '/members/log',
    guestOf: 'teachers',
    expect: '403 screen strict unindexed unstored',
  },
  {
    name: 'a made-up pass',
    target: '/members/log',
    headers: { cookie: 'dorlin=a.b.c' },
    expect: '403 screen strict unindexed unstored',
  },
  { name: 'a warden', target: '/members/log', headers: warden, expect: '200 log sets:dorlin-open unindexed unstored' },
  { name: 'a hidden folder', target: '/trustees/', expect: '404 missing' },
  {
    name: 'a hidden folder, to a warden',
    target: '/trustees/',
    headers: warden,
    expect: '200 papers sets:dorlin-open unindexed unstored',
  },
  { name: 'the head of a hidden folder', target: '/trustees/', method: 'HEAD', expect: '404' },
  { name: 'a hidden folder, posted to', target: '/trustees/', form: { a: 'b' }, expect: '404 missing' },
  { name: 'outsiders are sent elsewhere', target: '/visits/teacher-pack', expect: '302 to:/about unindexed unstored' },
  { name: 'closed with a day', target: '/shop/', expect: '503 later strict unindexed unstored' },
  { name: 'basic, to a tool', target: '/archive/', expect: '401 challenge strict unindexed unstored' },
  {
    name: 'basic, to a browser',
    target: '/archive/',
    headers: { accept: 'text/html' },
    expect: '403 screen strict unindexed unstored',
  },
  {
    name: 'basic, right',
    target: '/archive/',
    headers: basic(`reader:${right}`),
    expect: '200 archive unindexed unstored',
  },
  {
    name: 'basic, wrong',
    target: '/archive/',
    headers: basic('reader:wrong'),
    expect: '401 challenge strict unindexed unstored',
  },
  { name: 'a page with a locked section', target: '/events', expect: '200 events screen unstored' },
  {
    name: 'a locked section, to its guest',
    target: '/events',
    guestOf: 'night-walk',
    expect: '200 events meeting unstored',
  },
  {
    name: 'a part of it, in gzip',
    target: '/events',
    headers: { range: 'bytes=0-400', 'accept-encoding': 'gzip, br' },
    expect: '200 events screen unstored',
  },
  {
    name: 'its head, under a condition',
    target: '/events',
    method: 'HEAD',
    headers: { 'if-modified-since': 'Wed, 01 Jan 2098 00:00:00 GMT' },
    expect: '200',
  },
  { name: 'a page with a marked section', target: '/notes', expect: '200 notes screen unstored' },
  { name: 'a marked section, to its guest', target: '/notes', guestOf: 'members', expect: '200 marked notes unstored' },
  { name: 'the sitemap', target: '/sitemap.xml', expect: '200 unstored' },
  {
    name: 'a right password',
    target: '/_dorlin/unlock',
    form: { lock: 'members', password: right, to: '/members/log' },
    expect: '303 sets:dorlin+dorlin-known+dorlin-open+dorlin-visit to:/members/log unindexed unstored',
  },
  {
    name: 'a wrong password',
    target: '/_dorlin/unlock',
    form: { lock: 'members', password: 'no', to: '/members/log' },
    expect: '403 screen strict unindexed unstored',
  },
  {
    name: 'a form from elsewhere',
    target: '/_dorlin/unlock',
    headers: { 'sec-fetch-site': 'cross-site' },
    form: { lock: 'members', password: right },
    expect: '403 unindexed unstored',
  },
  {
    name: 'a right password, for a script',
    target: '/_dorlin/unlock',
    headers: { accept: 'application/json' },
    form: { lock: 'members', password: right },
    expect: '200 says-open sets:dorlin+dorlin-known+dorlin-open+dorlin-visit unindexed unstored',
  },
  {
    name: 'a form that is too long',
    target: '/_dorlin/unlock',
    form: { lock: 'members', password: 'x'.repeat(20_000) },
    expect: '413 unindexed unstored',
  },
  {
    name: 'a link that nobody signed',
    target: '/_dorlin/enter?link=abc.def.ghi',
    expect: '403 strict unindexed unstored',
  },
  {
    name: 'to another site',
    target: '/_dorlin/unlock',
    form: { lock: 'members', password: right, to: '//evil.example/' },
    expect: '303 sets:dorlin+dorlin-known+dorlin-open+dorlin-visit to:/members/ unindexed unstored',
  },
  { name: 'what is open', target: '/_dorlin/status', guestOf: 'members', expect: '200 says-open unindexed unstored' },
  {
    name: 'leaving',
    target: '/_dorlin/leave',
    guestOf: 'members',
    form: {},
    expect: '303 sets:dorlin+dorlin-open+dorlin-visit to:/ unindexed unstored',
  },
  { name: 'a web server’s question, from outside', target: '/_dorlin/authorize', expect: '404 unindexed unstored' },
  {
    name: 'the same, with what it asks about',
    target: '/_dorlin/authorize?x',
    headers: { 'x-original-uri': '/members/log' },
    expect: '404 unindexed unstored',
  },
  { name: 'a style of ours that is not there', target: '/_dorlin/assets/no.css', expect: '404 unindexed unstored' },
  { name: 'of our own, encoded', target: '/%5fdorlin/status', expect: '200 unindexed unstored' },
];
