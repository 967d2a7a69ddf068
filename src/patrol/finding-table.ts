/** How much a finding matters: who should not, can; who should, cannot; or it could be better. */
export type Severity = 'leak' | 'closed' | 'warning';

interface FindingKind {
  readonly severity: Severity;
  readonly title: string;
  readonly why: string;
  readonly mend: string;
}

/**
 * Everything that `dorlin patrol` finds: what it is called, why it matters and how to mend it.
 * `docs/reference/patrol.md` is made from it.
 */
export const patrolTable = {
  // Doors that are open.
  'open-to-strangers': {
    severity: 'leak',
    title: 'A locked place is open to strangers',
    why: 'Its own address answers with the page itself to somebody who has opened nothing.',
    mend: 'See that what serves it asks the guard first, and that `dorlin explain` says shut.',
  },
  'child-open': {
    severity: 'leak',
    title: 'Below a locked place something is open',
    why: 'Reached directly, it is not asked for a password.',
    mend: 'Cover the folder, with a slash at its end, instead of its front page alone.',
  },
  'file-beside-open': {
    severity: 'leak',
    title: 'A file that only locked pages show is open',
    why: 'Whoever has or guesses its address gets it: pictures, papers, data, recordings.',
    mend: 'Cover it by the lock of those pages: `dorlin lock LOCK FILE`.',
  },
  'page-beside-open': {
    severity: 'warning',
    title: 'A page that only locked pages lead to is open',
    why: 'It looks as if it belonged to them. That nobody links to a page does not hide it.',
    mend: 'Cover it by the lock of those pages, or say that it is meant so with `except`.',
  },
  'section-open': {
    severity: 'leak',
    title: 'A locked section stands in the page that strangers get',
    why: 'The element was not cut out of what is sent; to hide it in the browser hides nothing.',
    mend: 'Check the id in the policy against that in the page, and that the guard sees the page.',
  },
  'screen-holds-page': {
    severity: 'leak',
    title: 'The answer that refuses holds what it refuses',
    why: 'The words of the page lie in the screen’s source, beneath it or behind it.',
    mend: 'Answer with the screen alone: what must not be read must not be sent.',
  },
  'wrong-password-opens': {
    severity: 'leak',
    title: 'A wrong password opens',
    why: 'Anything typed lets in.',
    mend: 'Compare the password on the server, and answer 403 to a wrong one.',
  },
  'ended-password-opens': {
    severity: 'leak',
    title: 'A password that has ended still opens',
    why: 'Last season’s people are still in.',
    mend: 'See that the site runs with this policy: `dorlin password list LOCK`.',
  },
  'other-guest-gets-in': {
    severity: 'leak',
    title: 'A guest of another lock gets in',
    why: 'Each password is meant for one door.',
    mend: 'Keep which lock was opened in the pass, not just that one was.',
  },
  'search-engine-gets-in': {
    severity: 'leak',
    title: 'Whoever says to be a search engine gets in',
    why: 'A name is easily said, and what search engines read, everybody can.',
    mend: 'Take the exception for user agents and referrers out of the web server.',
  },
  'feed-reader-gets-in': {
    severity: 'leak',
    title: 'Whoever asks like a program gets in',
    why: 'Feed readers, previews of chats and scripts get what browsers are refused.',
    mend: 'Guard every request, whatever it accepts and whoever it says to be.',
  },
  'spelling-opens': {
    severity: 'leak',
    title: 'Another spelling of the address opens',
    why: 'The lock and the server read the same address as two different ones.',
    mend: 'Let the guard decide on every spelling, or answer 400 to those that are not plain.',
  },
  'copy-open': {
    severity: 'leak',
    title: 'A copy of a locked page lies beside it, open',
    why: 'Packed, old or source versions of a page say the same as the page.',
    mend: 'Delete it, or cover it by the same lock.',
  },
  'companion-opens': {
    severity: 'leak',
    title: 'The content of a locked page or picture is open at an address of a framework',
    why: 'Web frameworks send the data of a page, and smaller pictures, from addresses of their own.',
    mend: 'Put the guard before everything that the site serves: it locks these addresses with the page.',
  },
  'query-opens': {
    severity: 'leak',
    title: 'A query opens',
    why: 'A view for printing, a preview or data format of the page is not guarded.',
    mend: 'Guard the path, whatever its query says.',
  },
  'method-opens': {
    severity: 'leak',
    title: 'Another method opens',
    why: 'Asked by another method than GET, the place answers with what it holds or how long it is.',
    mend: 'Guard all methods alike.',
  },
  'range-opens': {
    severity: 'leak',
    title: 'A part of it is open',
    why: 'Asked for a range of bytes, the place gives them.',
    mend: 'Guard requests with `Range` like all others.',
  },
  'conditional-opens': {
    severity: 'leak',
    title: 'It tells whether it has changed',
    why: 'A conditional request is answered with 304: by that, one learns what a copy is worth.',
    mend: 'Guard requests with `If-None-Match` and `If-Modified-Since` like all others.',
  },
  'header-opens': {
    severity: 'leak',
    title: 'A header that rewrites the path opens',
    why: 'What decides looks at one address, and what answers at another.',
    mend: 'Strip `X-Original-URL`, `X-Rewrite-URL` and their like from what comes from outside.',
  },
  'host-opens': {
    severity: 'leak',
    title: 'Another host name opens',
    why: 'The same files answer to a second name, which has no lock.',
    mend: 'Serve one host name, or guard all of them.',
  },
  'forged-address-opens': {
    severity: 'leak',
    title: 'A forged address opens',
    why: 'Anybody can write any address into a header.',
    mend: 'Let `site.trustedProxies` name your own proxies alone, and let them overwrite the header.',
  },
  'forged-identity-opens': {
    severity: 'leak',
    title: 'A forged name or role opens',
    why: 'Anybody can write who they are into a header.',
    mend: 'Let your own proxy strip those headers from what comes from outside.',
  },
  'forged-cookie-opens': {
    severity: 'leak',
    title: 'A cookie that anybody can write opens',
    why: 'What is not signed proves nothing.',
    mend: 'Believe the signed pass alone.',
  },
  'forged-link-opens': {
    severity: 'leak',
    title: 'An entry link that is forged or over opens',
    why: 'Whoever knows how links look can write one.',
    mend: 'See that the site runs with this policy and this secret.',
  },
  'wrong-credentials-open': {
    severity: 'leak',
    title: 'HTTP Basic lets in with a wrong password',
    why: 'Any credentials do.',
    mend: 'Compare them on the server.',
  },
  'leave-keeps-open': {
    severity: 'leak',
    title: 'After leaving, it is still open',
    why: 'On a machine that several people use, the next one is in.',
    mend: 'Expire the cookies of the pass with the answer to leaving.',
  },
  'reopened-keeps-open': {
    severity: 'leak',
    title: 'It stays open when the browser is closed',
    why: 'The lock remembers for one visit, but the browser keeps the pass.',
    mend: 'Send the cookie without `Max-Age` and `Expires`.',
  },
  'cached-copy-open': {
    severity: 'leak',
    title: 'A cache gives strangers the page of a guest',
    why: 'It kept the answer to somebody who was let in, and hands it to everybody.',
    mend: 'Send `Cache-Control: private, no-store` with what is locked, and empty the cache.',
  },
  'cache-may-keep': {
    severity: 'leak',
    title: 'Caches may keep what is locked',
    why: 'By its headers, any cache between site and visitor may store it and give it to others.',
    mend: 'Send `Cache-Control: private, no-store` with what is locked.',
  },
  'other-sites-may-read': {
    severity: 'leak',
    title: 'Scripts of other sites may read what is locked',
    why: 'A page that a guest visits elsewhere can fetch it with the guest’s cookies.',
    mend: 'Take `Access-Control-Allow-Origin` with credentials off what is locked.',
  },

  // What strangers get of it elsewhere.
  'words-in-search-index': {
    severity: 'leak',
    title: 'The site’s search index holds what is locked',
    why: 'It is one file, and says what all the pages say.',
    mend: 'Leave locked pages out of it when it is made, or cover it.',
  },
  'words-in-feed': {
    severity: 'leak',
    title: 'A feed holds what is locked',
    why: 'Feeds repeat the pages, and are read by programs.',
    mend: 'Name it, so that the guard filters it: `dorlin site feeds=/feed.xml`.',
  },
  'feed-names-locked': {
    severity: 'leak',
    title: 'A feed names locked pages',
    why: 'It tells their addresses and mostly their titles.',
    mend: 'Name it, so that the guard filters it: `dorlin site feeds=/feed.xml`.',
  },
  'sitemap-names-locked': {
    severity: 'leak',
    title: 'A sitemap names locked pages',
    why: 'It tells search engines and everybody else where they are.',
    mend: 'Name it, so that the guard filters it: `dorlin site sitemaps=/sitemap.xml`.',
  },
  'robots-names-locked': {
    severity: 'warning',
    title: 'robots.txt names a locked place',
    why: 'It is the first thing that curious people read. The lock needs no help of it.',
    mend: 'Take the line out: what is locked is not indexed anyway.',
  },
  'hidden-is-named': {
    severity: 'leak',
    title: 'A hidden place is named',
    why: 'Outsiders are told that there is nothing, but read its address elsewhere.',
    mend: 'Put the link under `data-dorlin-lock`, or take it out.',
  },
  'words-in-description': {
    severity: 'leak',
    title: 'The description of an open page holds what is locked',
    why: 'It is what search engines show.',
    mend: 'Write a description of the open page itself.',
  },
  'words-in-preview-card': {
    severity: 'leak',
    title: 'A preview card holds what is locked',
    why: 'It is what chats and social networks show of the page.',
    mend: 'Write the card (`og:`, `twitter:`) for strangers.',
  },
  'words-in-json-ld': {
    severity: 'leak',
    title: 'Structured data of an open page holds what is locked',
    why: 'Search engines read it word by word.',
    mend: 'Leave the text of locked pages out of `application/ld+json`.',
  },
  'words-in-page-data': {
    severity: 'leak',
    title: 'The data of a page’s framework holds what is locked',
    why: 'Scripts get it with the page or beside it, whoever asks.',
    mend: 'Cover the data by the lock of its page, or leave it out of open pages.',
  },
  'words-in-data-file': {
    severity: 'leak',
    title: 'An open data file holds what is locked',
    why: 'JSON, CSV, calendars and texts repeat what pages say.',
    mend: 'Cover it by the lock of those pages.',
  },
  'words-in-script': {
    severity: 'leak',
    title: 'A script holds what is locked',
    why: 'Bundlers pack the text of pages into scripts that every page loads.',
    mend: 'Build locked pages so that their text is fetched, not packed.',
  },
  'words-in-source-map': {
    severity: 'leak',
    title: 'A source map holds what is locked',
    why: 'It is made for developers, and holds the sources of all pages.',
    mend: 'Do not publish it, or cover it.',
  },
  'words-in-style': {
    severity: 'leak',
    title: 'A style sheet holds what is locked',
    why: 'Texts in `content:` are sent to everybody.',
    mend: 'Move the words into the page.',
  },
  'words-in-comment': {
    severity: 'leak',
    title: 'A comment in an open page holds what is locked',
    why: 'What browsers do not show is sent all the same.',
    mend: 'Take it out of the source.',
  },
  'words-in-hidden-part': {
    severity: 'leak',
    title: 'A hidden part of an open page holds what is locked',
    why: 'What a style or a script hides is sent all the same.',
    mend: 'Put it under `data-dorlin-lock`, so that it is cut out.',
  },
  'words-in-attribute': {
    severity: 'leak',
    title: 'An attribute in an open page holds what is locked',
    why: 'Titles, descriptions of pictures and data for scripts are sent to everybody.',
    mend: 'Take it out, or put the element under `data-dorlin-lock`.',
  },
  'words-on-open-page': {
    severity: 'leak',
    title: 'An open page says what is locked',
    why: 'A teaser, a list of news or a quotation repeats words of the locked page.',
    mend: 'Shorten it to what the public may read, or lock the section of it.',
  },
  'file-copy-open': {
    severity: 'leak',
    title: 'A copy of a locked file is open',
    why: 'Byte for byte the same lies at an open address.',
    mend: 'Delete the copy, or cover it by the same lock.',
  },
  'picture-copy-open': {
    severity: 'leak',
    title: 'A locked picture is open in another size or format',
    why: 'Smaller versions and preview cards show the same.',
    mend: 'Cover those versions as well, or show another picture.',
  },

  // Who should get in and does not.
  'guest-kept-out': {
    severity: 'closed',
    title: 'The right password does not open',
    why: 'Those who were given it stand before the door.',
    mend: 'See that the site runs with this policy, and what the journal says.',
  },
  'guest-asked-again': {
    severity: 'closed',
    title: 'It is asked for again on another page of the same lock',
    why: 'Entering once must do for all that a lock covers.',
    mend: 'Set the cookie for the path `/`, and look for caches that keep the screen.',
  },
  'guest-lands-elsewhere': {
    severity: 'warning',
    title: 'The right password leads to another page than asked for',
    why: 'Whoever follows a link wants that page, not a front page.',
    mend: 'Send the visitor back to the address that was asked for (`after: same`).',
  },
  'returning-kept-out': {
    severity: 'closed',
    title: 'A returning browser is asked again too early',
    why: 'The lock promises to remember.',
    mend: 'Send the cookie with `Max-Age`.',
  },
  'link-kept-out': {
    severity: 'closed',
    title: 'An entry link does not open',
    why: 'Those who were sent it stand before the door.',
    mend: 'See that the site runs with this policy and this secret.',
  },
  'address-kept-out': {
    severity: 'closed',
    title: 'A bypass address is kept out',
    why: 'The office stands before its own door.',
    mend: 'Name the proxy that hands the address on: `dorlin site trustedProxies=127.0.0.1/32`.',
  },
  'credentials-kept-out': {
    severity: 'closed',
    title: 'HTTP Basic with the right credentials does not open',
    why: 'Feed readers and calendars cannot get their data.',
    mend: 'See that what stands before the site lets `Authorization` through.',
  },
  'no-answer': {
    severity: 'closed',
    title: 'No answer came',
    why: 'Whether somebody gets the place could not be seen: the site was not reached, or did not answer in time.',
    mend: 'See whether the site is up and quick enough; then run the patrol again, with fewer requests at a time: `--at-once 2`.',
  },
  'open-needs-locked': {
    severity: 'warning',
    title: 'Open pages need what is locked',
    why: 'Strangers get the pages, and not their style, scripts or pictures: they look broken.',
    mend: 'Take those files out of the lock: `dorlin release FILE…`, or the folder that they lie in.',
  },
  'open-is-closed': {
    severity: 'closed',
    title: 'An open place is closed to strangers',
    why: 'The public is asked for a password that it was never meant to have.',
    mend: 'See that the site runs with this policy: `dorlin explain ADDRESS`.',
  },
  'wrong-password-unsaid': {
    severity: 'warning',
    title: 'A wrong password is not called wrong',
    why: 'The page just comes again, and visitors believe that the site is broken.',
    mend: 'Say on the screen that the password was wrong.',
  },
  'screen-may-be-kept': {
    severity: 'warning',
    title: 'The screen may be kept by caches and browsers',
    why: 'After unlocking, visitors may meet the old screen again.',
    mend: 'Send the screen with `Cache-Control: no-store`.',
  },
  'screen-may-be-indexed': {
    severity: 'warning',
    title: 'The screen may be indexed by search engines',
    why: 'It answers with 200, and nothing on it says that it should not be listed.',
    mend: 'Answer 401 or 403, with `X-Robots-Tag: noindex`.',
  },
  'lock-does-not-count': {
    severity: 'warning',
    title: 'A lock does not count at present',
    why: 'It is switched off, ended or not begun, so its places are open.',
    mend: 'Switch it on or give it another time, if they are not meant to be.',
  },
} as const satisfies Record<string, FindingKind>;

export type PatrolCode = keyof typeof patrolTable;
