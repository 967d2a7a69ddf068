/**
 * Every likely mistake that `dorlin check` looks for: what it is called, why it matters and how to
 * mend it. `docs/reference/findings.md` is made from it.
 */
export const findingTable = {
  'lock-off': {
    title: 'A lock is switched off',
    why: 'It looks like a lock that works, and shuts nothing.',
    mend: 'Switch it on with `dorlin lock LOCK --on`, or end it with `dorlin release LOCK`.',
  },
  'lock-ended': {
    title: 'A lock has ended by itself',
    why: 'Its `until` is past, so its places have been open since then.',
    mend: "Give it a later end, such as `dorlin lock LOCK --until '30 days'`, or end it with `dorlin release LOCK`.",
  },
  'lock-covers-nothing': {
    title: 'A lock covers nothing',
    why: 'No file of the site lies under it: a place may be misspelled, or have moved.',
    mend: 'Compare its places with `dorlin places --all`.',
  },
  'place-covers-nothing': {
    title: 'A place of a lock is empty',
    why: 'No file of the site lies there: the place may be misspelled, and what was meant be open.',
    mend: 'Compare it with `dorlin places --all`, and take it out with `dorlin release PLACE`.',
  },
  'lock-nobody': {
    title: 'Nobody gets in',
    why: 'The lock asks for a password, and nothing opens it: no password or link that counts now or later, and no bypass.',
    mend: 'Add one with `dorlin password add LOCK`; or say that it is closed: `dorlin lock LOCK --outsiders closed`.',
  },
  'password-guessable': {
    title: 'A password can be guessed',
    why: 'Even with tries counted, patience finds it.',
    mend: 'Put another in its place: `dorlin password rotate LOCK PASSWORD --overlap 14d`.',
  },
  'password-hashed-otherwise': {
    title: 'Passwords are hashed in another way than the site says',
    why: '`site.hash` counts for new passwords alone, and all of one lock are hashed alike: where the guard runs, each try at this lock may be slow, or be guessed faster, until they are hashed anew.',
    mend: 'Hash them anew with `dorlin password rehash LOCK`; whoever has got in by one types it once more.',
  },
  'password-ending': {
    title: 'The last password of a lock ends soon',
    why: 'In less than 14 days nobody will get in by a password, and no other one follows it.',
    mend: 'Add the next with `dorlin password add LOCK`, and hand it out in time.',
  },
  'bypass-everybody': {
    title: 'A bypass is open to nearly everybody',
    why: 'Its addresses are so many that it is no lock any more.',
    mend: 'Write the addresses that are meant: `203.0.113.0/24` is 256 of them.',
  },
  'bypass-behind-proxy': {
    title: 'A bypass may take everybody for a neighbour',
    why: 'It lets in addresses of this machine or its network, and no proxy is trusted: behind one, every visitor comes from such an address.',
    mend: 'Name the proxy, such as `dorlin site trustedProxies=127.0.0.1/32`, or let people in by role instead.',
  },
  'guess-flood': {
    title: 'Somebody guesses passwords',
    why: 'There were many wrong tries within a short while, as the journal tells.',
    mend: 'Passwords are counted and slowed; put a stronger one in the place of one that can be guessed: `dorlin password rotate LOCK PASSWORD`.',
  },
  'password-around': {
    title: 'A password seems to have got around',
    why: 'Within three days it was used from many more networks than ever before, as the journal tells.',
    mend: 'Hand out a new one, and let the old one end after a while: `dorlin password rotate LOCK PASSWORD --overlap 14d`.',
  },
  'password-unused': {
    title: 'Nobody uses a password any more',
    why: 'It counts, and for a month nobody has come in by it, as the journal tells: whoever finds it may.',
    mend: 'End it, if those who have it need it no more: `dorlin password retire LOCK PASSWORD`.',
  },
  'met-in-vain': {
    title: 'Many meet a lock and do not get in',
    why: 'Those who were given no password come by a link, and wonder whether they have forgotten one.',
    mend: 'Say on the screen whom it is for, take the page out of menus, or say that it is closed: `dorlin lock LOCK --outsiders closed`.',
  },
  'screen-invites': {
    title: 'The public is asked for a password of the staff',
    why: 'A lock over the whole site asks every visitor for a password that only the team has. Some will write in and ask for theirs.',
    mend: 'Say that it is closed, with `dorlin lock LOCK --outsiders closed`, and let the team in by a bypass or an entry link.',
  },
  'screen-contrast': {
    title: 'Something on a screen is hard to read',
    why: 'Text needs a contrast of 4.5 with what is behind it, and the border of a field 3 (WCAG 2.2, 1.4.3 and 1.4.11).',
    mend: 'Take the color that is named: `dorlin screen edit SCREEN colors.light.ROLE=#…`. `dorlin screen check` shows every pair.',
  },
  'screen-clutter': {
    title: 'A screen has more than one purpose',
    why: 'Visitors are there to type a password; all else keeps them from finding the field.',
    mend: 'Leave out blocks, or move them to a page that the screen links to.',
  },
  'screen-file-locked': {
    title: 'A screen shows a file that is locked',
    why: 'Those who meet the screen do not get it: they see a gap, or another font.',
    mend: 'Take it out of the lock: `dorlin release FILE`.',
  },
  'screen-file-missing': {
    title: 'A screen shows a file that is not there',
    why: 'Visitors see a gap in its place.',
    mend: 'Compare the path in the screen with the files of the site.',
  },
  'screen-unused': {
    title: 'A screen is shown by no lock',
    why: 'What was designed is not what visitors see.',
    mend: 'Let a lock show it: `dorlin lock LOCK --screen SCREEN`; or call it `default`.',
  },
  'screen-countdown-endless': {
    title: 'A screen counts down to nothing',
    why: 'The lock has no end, so nothing is shown.',
    mend: 'Give the lock an end, `dorlin lock LOCK --until …`, or take the block out of the screen.',
  },
  'request-unknown-password': {
    title: 'A password that is to be sent cannot be looked up',
    why: 'Whoever asks for it is told that no letter could be sent.',
    mend: 'Put another in its place on this machine: `dorlin password rotate LOCK PASSWORD`.',
  },
  'file-beside-open': {
    title: 'A file of locked pages is open',
    why: 'Only locked pages show it or lead to it, but whoever has its address gets it.',
    mend: 'Put it under the lock of its page: `dorlin lock LOCK FILE`; or move it into a folder that is.',
  },
  'open-needs-locked': {
    title: 'An open page needs what is locked',
    why: 'Strangers get the page, and not its style, its scripts or its pictures: it looks broken to them.',
    mend: 'Take those files out of the lock: `dorlin release FILE…`, or the folder that they lie in.',
  },
  'bypass-idle': {
    title: 'A bypass can let nobody in',
    why: 'It asks who somebody is, and nothing in the policy tells; only code that is handed to the guard could.',
    mend: 'Say how that is known, such as `dorlin site identity.jwt.cookie=session identity.jwt.jwks=https://…`; behind a proxy that signs people in, `identity.header` and `trustedProxies`.',
  },
  'header-untrusted': {
    title: 'Nobody is believed about who visitors are',
    why: '`identity.header` says that a proxy tells it, and no proxy is trusted: the header is never read.',
    mend: 'Name the proxy: `dorlin site trustedProxies=127.0.0.1/32`.',
  },
  'request-gives-nothing': {
    title: 'A screen asks for an address, and has nothing to send',
    why: 'What its request gives is gone from the lock: whoever asks is told that no letter could be sent.',
    mend: 'Name another password or link under `gives:` of the request, or `gives: nothing` where addresses are only collected.',
  },
  'index-holds-locked': {
    title: 'An open file holds words of locked pages',
    why: 'A search index or a data file repeats what only locked pages say.',
    mend: 'Lock the file, `dorlin lock LOCK FILE`, or build it without those pages.',
  },
  'listing-broken': {
    title: 'A sitemap or a feed cannot be read',
    why: 'It may name locked pages, and what cannot be read for certain is shut: nobody gets it.',
    mend: 'Look at it with an XML checker. Sitemaps are XML or lines of addresses, feeds are RSS, Atom or JSON Feed.',
  },
  'robots-names-locked': {
    title: 'The file robots.txt names locked addresses',
    why: 'Everybody may read it, and the curious do so first.',
    mend: 'Take them out: locked pages tell search engines themselves to stay away.',
  },
  'menu-shows-locked': {
    title: 'The menu of open pages leads to a locked page',
    why: 'Everybody sees the entry, also those for whom there is nothing to open: they meet the screen, or are told that nothing is there.',
    mend: 'Give the link `data-dorlin-if="LOCK"`, so that it shows once the lock is open, and beside it one with `data-dorlin-unless` that leads to where one is told about it.',
  },
  'section-missing': {
    title: 'A page does not have the section that is locked in it',
    why: 'What was to be hidden may be there under another name, so the whole page is shut.',
    mend: 'Mend the id after `#` in the policy, or the page.',
  },
  'section-ends-early': {
    title: 'A locked element ends before its own end tag',
    why: 'HTML ends a `p` where a list, a table or a `div` begins, whatever the source looks like: what follows is no part of it, and everybody sees it.',
    mend: 'Put the mark or the id on an element that may hold all of it, such as `div` or `section`.',
  },
  'mark-unread': {
    title: 'A page has a marked section, and marks are not looked for',
    why: 'With `site.marks: false` pages go out as they are: everybody sees what is marked.',
    mend: 'Let marks be looked for, `dorlin site marks=yes`, or name the section: `dorlin lock LOCK /page#id`.',
  },
  'page-uncut': {
    title: 'A page with a locked section is shut as a whole',
    why: 'Nothing can be cut out of it for certain, so nobody gets the page who may not see the section.',
    mend: 'Mend what the finding names, and try the page in an HTML checker: in a clean page every section can be cut.',
  },
  'name-unknown': {
    title: 'A page names a lock that there is not',
    why: 'An element under such a lock shows to nobody; a menu entry for it never shows.',
    mend: 'Correct the name in the page, or make the lock.',
  },
  'file-left-out': {
    title: 'Something in the site’s folder is not served',
    why: 'Symbolic links could lead out of the folder, and names that begin with a dot are usually settings. Visitors get neither, and neither is in a sealed copy.',
    mend: 'Put a copy of the file in place of the link, or give it another name. Settings such as `.htaccess` are for the web server: put them where it reads them.',
  },
  'prefix-shadowed': {
    title: 'A file lies at Dorlin’s own addresses',
    why: 'It is never served: those addresses are answered by the guard.',
    mend: 'Move the file, or move the guard’s addresses with `site.prefix`.',
  },
  'secret-readable': {
    title: 'Others on this machine can read the secret',
    why: 'Whoever has the secret can make passes and read the passwords kept to be looked up.',
    mend: 'Take their right away: `chmod -R go-rwx .dorlin`. If somebody may have read it, make a new one.',
  },
  'secret-in-site': {
    title: 'The secret lies in the folder of the site',
    why: '`dorlin serve` never serves it, but another server, or an upload of the folder, might.',
    mend: 'Keep the policy beside the folder of finished files, not in it.',
  },
  'sealed-cannot': {
    title: 'The sealed site cannot do all that the policy says',
    why: 'It is files alone, which know nobody, count nothing and change only when they are sealed again.',
    mend: 'Nothing, where that is meant; else serve the site behind the guard, or seal it again at the right time.',
  },
  'draft-waiting': {
    title: 'A draft waits to be made live',
    why: 'Its edits count for nobody yet.',
    mend: 'Look at them with `dorlin review`, then run `dorlin live`, or throw them away with `dorlin back --draft`.',
  },
} as const;

export type FindingCode = keyof typeof findingTable;

/** A likely mistake. */
export interface Finding {
  readonly code: FindingCode;
  /** The lock, bypass, file or address that it is about. */
  readonly about: string;
  /** What was found, in one sentence. */
  readonly text: string;
  /**
   * The same of several at once, behind their number: `files are open, though …`. What lies in one folder
   * and has one cause is told in one line.
   */
  readonly cause?: string | undefined;
}
