import type { Chapter } from './play.js';

/** What visitors get, chapter by chapter. `docs/reference/verdicts.md` is made from this. */
export const chapters: readonly Chapter[] = [
  {
    title: 'The nearest lock decides',
    about:
      'Of the locks that cover an address, the one that names it most closely: a page before a page pattern, folders from the deepest up, then the whole site. `except` takes a place out of its own lock alone.',
    policy: `site: { name: Kestrelmoor }
locks:
  opening: { covers: [/], except: [/index.html, /contact, /open/], passwords: [{ id: oo, label: Team, hash: … }] }
  members: { covers: [/members/], except: [/members/join, /members/new/], passwords: [{ id: mm, label: Members, hash: … }] }
  gallery: { covers: [/members/gallery/], passwords: [{ id: gg, label: Gallery, hash: … }] }
  board: { covers: [/members/gallery/, /minutes], passwords: [{ id: bb, label: Board, hash: … }] }
  papers: { covers: ['/**/*.pdf'], passwords: [{ id: pp, label: Papers, hash: … }] }
  proofs: { covers: ['/albums/*/proofs/'], passwords: [{ id: rr, label: Proofs, hash: … }] }
  wedding: { covers: [/albums/ann-and-bo/], except: ['/albums/ann-and-bo/*.jpg'], passwords: [{ id: ww, label: Guests, hash: … }] }
  off: { covers: [/members/log], passwords: [{ id: ff, label: Off, hash: … }], enabled: false }
  page: { covers: [/members/new/secret], passwords: [{ id: ss, label: Page, hash: … }] }`,
    rows: `
a stranger | / | open | lock opening leaves /index.html out
a stranger | /index.html | open | lock opening leaves /index.html out
a stranger | /contact | open | lock opening leaves /contact out
a stranger | /contact/below | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /open/ | open | lock opening leaves /open/ out
a stranger | /open/a/b | open | lock opening leaves /open/ out
a stranger | /about | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /members | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members/ | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /membership | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /members/a/b/c | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members/join | asked by opening | lock members leaves /members/join out
a stranger | /members/new/x | asked by opening | lock members leaves /members/new/ out
a stranger | /members/new/secret | asked by page | lock page covers it by /members/new/secret, and no other names it more closely
a stranger | /members/new/secret/x | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /members/gallery/ | asked by gallery or board | lock gallery covers it by /members/gallery/, and no other names it more closely
a stranger | /members/gallery/x | asked by gallery or board | lock gallery covers it by /members/gallery/, and no other names it more closely
a stranger | /minutes | asked by board | lock board covers it by /minutes, and no other names it more closely
a stranger | /minutes/x | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /members/log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members/handbook.pdf | asked by papers | lock papers covers it by /**/*.pdf, and no other names it more closely
a stranger | /a.pdf | asked by papers | lock papers covers it by /**/*.pdf, and no other names it more closely
a stranger | /a.pdf/x | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /albums/x/proofs/ | asked by proofs | lock proofs covers it by /albums/*/proofs/, and no other names it more closely
a stranger | /albums/x/proofs/1 | asked by proofs | lock proofs covers it by /albums/*/proofs/, and no other names it more closely
a stranger | /albums/x | asked by opening | lock opening covers it by /, and no other names it more closely
a stranger | /albums/ann-and-bo/ | asked by wedding | lock wedding covers it by /albums/ann-and-bo/, and no other names it more closely
a stranger | /albums/ann-and-bo/proofs/1 | asked by proofs | lock proofs covers it by /albums/*/proofs/, and no other names it more closely
a stranger | /albums/ann-and-bo/1.jpg | asked by opening | lock wedding leaves /albums/ann-and-bo/*.jpg out
opened opening for this visit | /about | let in | the visitor has a pass for lock opening by oo, and it counts
opened opening for this visit | /members/ | asked by members | the visitor has no pass for lock members
opened members for this visit | /members/ | let in | the visitor has a pass for lock members by mm, and it counts
opened members for this visit | /members/join | asked by opening | the visitor has no pass for lock opening
opened members for this visit | /members/gallery/ | asked by gallery or board | the visitor has no pass for lock gallery
opened gallery for this visit | /members/gallery/ | let in | the visitor has a pass for lock gallery by gg, and it counts
opened board for this visit | /members/gallery/x | let in | the visitor has a pass for lock board by bb, and it counts
opened board for this visit | /minutes | let in | the visitor has a pass for lock board by bb, and it counts
opened gallery for this visit | /minutes | asked by board | the visitor has no pass for lock board
opened off for this visit | /members/log | asked by members | the visitor has no pass for lock members
`,
  },
  {
    title: 'Every spelling is one place',
    about:
      'An address is read in every way that servers read it, and the visitor must be let in by each reading. What cannot be read for certain is refused.',
    policy: `site: { name: Kestrelmoor }
locks:
  members: { covers: [/members/], passwords: [{ id: mm, label: Members, hash: … }] }
  dinner: { covers: [/events/dinner], passwords: [{ id: dd, label: Guests, hash: … }] }
  cafe: { covers: [/café], passwords: [{ id: cc, label: Café, hash: … }] }`,
    rows: `
a stranger | /MEMBERS/Log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /%6d%65mbers/log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | //members//log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members.html | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members/index.html | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members?from=mail | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members;v=1/log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members%2flog | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members%3flog | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members%23log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /members./log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /events/dinner/ | asked by dinner | lock dinner covers it by /events/dinner, and no other names it more closely
a stranger | /events/dinner.html | asked by dinner | lock dinner covers it by /events/dinner, and no other names it more closely
a stranger | /events/dinner/menu | open | no lock covers /events/dinner/menu
a stranger | /events/dinners | open | no lock covers /events/dinners
a stranger | /caf%C3%A9 | asked by cafe | lock cafe covers it by /café, and no other names it more closely
a stranger | /cafe%CC%81 | asked by cafe | lock cafe covers it by /café, and no other names it more closely
a stranger | https://kestrelmoor.example/members/log | asked by members | lock members covers it by /members/, and no other names it more closely
a stranger | /open/../members/log | refused | the address is refused: it has a part that is only dots, which servers resolve differently
a stranger | /open/%2e%2e/members/log | refused | the address is refused: it has a part that is only dots, which servers resolve differently
a stranger | /open\\members\\log | refused | the address is refused: it has a backslash in it, which some servers take for a slash
a stranger | /%256dembers/log | refused | the address is refused: it is percent-encoded twice
a stranger | /members%zz | refused | the address is refused: its percent-encoding is broken or no UTF-8
a stranger | /members%00 | refused | the address is refused: it has a control character or a space in it
a stranger | /members#log | refused | the address is refused: it has a \`#\` in it, which no browser sends
a stranger | /café | refused | the address is refused: it has letters beyond ASCII that are not percent-encoded
opened members for this visit | /%6d%65mbers//LOG.html | let in | the visitor has a pass for lock members by mm, and it counts
opened members for this visit | /members;v=1/log | let in | the visitor has a pass for lock members by mm, and it counts
opened members for this visit | /members/../members/log | refused | the address is refused: it has a part that is only dots, which servers resolve differently
`,
  },
  {
    title: 'Two sites, two rules',
    about: 'Where a site keeps its letter cases apart, or has other endings, so do its locks.',
    policy: `site: { name: Kestrelmoor, caseSensitive: true, indexFiles: [default.htm], extensions: [.php] }
locks:
  members: { covers: [/Members/], passwords: [{ id: mm, label: Members, hash: … }] }`,
    rows: `
a stranger | /Members/log | asked by members | lock members covers it by /Members/, and no other names it more closely
a stranger | /members/log | open | no lock covers /members/log
a stranger | /Members.php | asked by members | lock members covers it by /Members/, and no other names it more closely
a stranger | /Members.html | open | no lock covers /Members.html
a stranger | /Members/default.htm | asked by members | lock members covers it by /Members/, and no other names it more closely
`,
  },
  {
    title: 'How long a pass lasts',
    about:
      'A pass names its lock, what gave it, and when. It is judged by the policy of the moment it is shown, not of the moment it was given.',
    policy: `site: { name: Kestrelmoor }
locks:
  visit: { covers: [/visit/], passwords: [{ id: vv, label: Visit, hash: … }] }
  month: { covers: [/month/], passwords: [{ id: old, label: Old, hash: … }, { id: new, label: New, hash: … }], remember: 30 days }
  choice: { covers: [/choice/], passwords: [{ id: cc, label: Choice, hash: … }], remember: { choice: 7 days } }
  short: { covers: [/short/], passwords: [{ id: ss, label: Short, hash: … }], remember: 10 minutes }`,
    rows: `
opened visit for this visit | /visit/ | let in | the visitor has a pass for lock visit by vv, and it counts
opened visit 23 hours ago for this visit | /visit/ | let in | the visitor has a pass for lock visit by vv, and it counts
opened visit 24 hours ago for this visit | /visit/ | asked by visit | the visitor has a pass for lock visit by vv, but it is older than the lock remembers
opened visit for another visit | /visit/ | asked by visit | the visitor has a pass for lock visit by vv, but it was for a visit that is over
opened visit | /visit/ | asked by visit | the visitor has a pass for lock visit by vv, but the lock now remembers for one visit only
opened month by old | /month/ | let in | the visitor has a pass for lock month by old, and it counts
opened month by new 29 days ago | /month/ | let in | the visitor has a pass for lock month by new, and it counts
opened month by new 30 days ago | /month/ | asked by month | the visitor has a pass for lock month by new, but it is older than the lock remembers
opened month by new -1 hours ago | /month/ | asked by month | the visitor has a pass for lock month by new, but it was given in the future: a clock is wrong
opened month by retired | /month/ | asked by month | the visitor has a pass for lock month by retired, but that was rotated, retired or revoked since
opened month by old before it was changed | /month/ | asked by month | the visitor has a pass for lock month by old, but that was rotated, retired or revoked since
opened month by old before it was changed, opened month by new | /month/ | let in | the visitor has a pass for lock month by new, and it counts
opened month by new 30 days ago, opened month by new 1 day ago | /month/ | let in | the visitor has a pass for lock month by new, and it counts
opened month 23 hours ago for this visit | /month/ | let in | the visitor has a pass for lock month by old, and it counts
opened month for another visit | /month/ | asked by month | the visitor has a pass for lock month by old, but it was for a visit that is over
opened choice 6 days ago | /choice/ | let in | the visitor has a pass for lock choice by cc, and it counts
opened choice 7 days ago | /choice/ | asked by choice | the visitor has a pass for lock choice by cc, but it is older than the lock remembers
opened choice for this visit | /choice/ | let in | the visitor has a pass for lock choice by cc, and it counts
opened choice for another visit | /choice/ | asked by choice | the visitor has a pass for lock choice by cc, but it was for a visit that is over
opened short 9 minutes ago | /short/ | let in | the visitor has a pass for lock short by ss, and it counts
opened short 10 minutes ago | /short/ | asked by short | the visitor has a pass for lock short by ss, but it is older than the lock remembers
opened short 10 minutes ago for this visit | /short/ | asked by short | the visitor has a pass for lock short by ss, but it is older than the lock remembers
opened month | /choice/ | asked by choice | the visitor has no pass for lock choice
opened nothing | /month/ | asked by month | the visitor has no pass for lock month
`,
  },
  {
    title: 'Who is let in without a password',
    about: 'All conditions of a bypass must hold; any one bypass of the lock will do.',
    policy: `site: { name: Kestrelmoor }
locks:
  opening: { covers: [/], passwords: [{ id: oo, label: Team, hash: … }], bypass: [staff, dome] }
  members: { covers: [/members/], passwords: [{ id: mm, label: Members, hash: … }], bypass: [dome] }
  trustees: { covers: [/trustees/], bypass: [trustee], outsiders: not-found }
  team: { covers: [/team/], bypass: [crew, away] }
  inside: { covers: [/inside/], bypass: [anyone] }
bypasses:
  staff: { roles: [editor, warden] }
  dome: { addresses: [203.0.113.0/24, '2001:db8:40::/48', 198.51.100.7] }
  trustee: { roles: [trustee] }
  crew: { people: [imke@kestrelmoor.example] }
  away: { roles: [warden], addresses: [192.0.2.0/24], signedIn: true }
  anyone: { signedIn: true }
  owner: { people: [owner@kestrelmoor.example], everyLock: true }`,
    rows: `
role editor | /x | let in by bypass staff | bypass staff of lock opening lets the visitor in
role reader, role warden | /x | let in by bypass staff | bypass staff of lock opening lets the visitor in
role EDITOR | /x | asked by opening | bypass staff of lock opening does not apply: none of its roles
role editor | /members/ | asked by members | bypass dome of lock members does not apply: another address
from 203.0.113.200 | /x | let in by bypass dome | bypass dome of lock opening lets the visitor in
from ::ffff:203.0.113.200 | /x | let in by bypass dome | bypass dome of lock opening lets the visitor in
from 2001:db8:40:1::9 | /x | let in by bypass dome | bypass dome of lock opening lets the visitor in
from 198.51.100.7 | /members/ | let in by bypass dome | bypass dome of lock members lets the visitor in
from 198.51.100.8 | /x | asked by opening | bypass dome of lock opening does not apply: another address
from 2001:db8:41::9 | /x | asked by opening | bypass dome of lock opening does not apply: another address
from 0313.0.113.200 | /x | asked by opening | bypass dome of lock opening does not apply: another address
from somewhere | /x | asked by opening | bypass dome of lock opening does not apply: another address
role editor, from 203.0.113.200 | /x | let in by bypass staff | bypass staff of lock opening lets the visitor in
role trustee | /trustees/accounts | let in by bypass trustee | bypass trustee of lock trustees lets the visitor in
a stranger | /trustees/accounts | not found, by trustees | lock trustees covers it by /trustees/, and no other names it more closely
role editor | /trustees/accounts | not found, by trustees | bypass trustee of lock trustees does not apply: none of its roles
person Imke@Kestrelmoor.example | /team/ | let in by bypass crew | bypass crew of lock team lets the visitor in
person bran@kestrelmoor.example | /team/ | told closed by team | bypass crew of lock team does not apply: none of its people
role warden, from 192.0.2.3, signed in | /team/ | let in by bypass away | bypass away of lock team lets the visitor in
role warden, from 203.0.113.1, signed in | /team/ | told closed by team | bypass away of lock team does not apply: another address
role editor, from 192.0.2.3, signed in | /team/ | told closed by team | bypass away of lock team does not apply: none of its roles
role warden, from 192.0.2.3 | /team/ | told closed by team | bypass away of lock team does not apply: not signed in
signed in | /inside/ | let in by bypass anyone | bypass anyone of lock inside lets the visitor in
a stranger | /inside/ | told closed by inside | lock inside covers it by /inside/, and no other names it more closely
person owner@kestrelmoor.example | /team/ | let in by bypass owner | bypass owner of lock team lets the visitor in
person owner@kestrelmoor.example | /members/ | let in by bypass owner | bypass owner of lock members lets the visitor in
opened members for this visit, from 203.0.113.1 | /members/ | let in | the visitor has a pass for lock members by mm, and it counts
`,
  },
  {
    title: 'What a lock requires',
    about: 'Locks under `requires` must be open as well, by passes or bypasses of their own.',
    policy: `site: { name: Kestrelmoor }
locks:
  house: { covers: [/house/], passwords: [{ id: hh, label: House, hash: … }] }
  room: { covers: [/room/], passwords: [{ id: rr, label: Room, hash: … }], requires: [house], bypass: [warden] }
  safe: { covers: [/safe/], passwords: [{ id: ss, label: Safe, hash: … }], requires: [room] }
  attic: { covers: [/attic/], passwords: [{ id: aa, label: Attic, hash: … }], requires: [shed] }
  shed: { covers: [/shed/], passwords: [{ id: dd, label: Shed, hash: … }], enabled: false }
bypasses:
  warden: { roles: [warden] }`,
    rows: `
a stranger | /room/ | asked by room | lock room covers it by /room/, and no other names it more closely
opened room for this visit | /room/ | asked by house | lock room requires lock house to be open as well
opened house for this visit | /room/ | asked by room | the visitor has no pass for lock room
opened room for this visit, opened house for this visit | /room/ | let in | the visitor has a pass for lock room by rr, and it counts
role warden | /room/ | asked by house | lock room requires lock house to be open as well
role warden, opened house for this visit | /room/ | let in by bypass warden | bypass warden of lock room lets the visitor in
opened safe for this visit, opened room for this visit | /safe/ | asked by house | lock safe requires lock house to be open as well
opened safe for this visit, opened house for this visit | /safe/ | asked by room | lock safe requires lock room to be open as well
opened safe for this visit, opened room for this visit, opened house for this visit | /safe/ | let in | the visitor has a pass for lock safe by ss, and it counts
opened attic for this visit | /attic/ | let in | the visitor has a pass for lock attic by aa, and it counts
`,
  },
  {
    title: 'Times',
    about:
      'A window counts from its beginning up to, and not at, its end, in the zone of the site. In Dublin, clocks go back on 25 October 2026 at 02:00, and forward on 29 March 2026 at 01:00.',
    policy: `site: { name: Kestrelmoor, timeZone: Europe/Dublin }
locks:
  all: { covers: [/], passwords: [{ id: oo, label: All, hash: … }], until: 2027-03-20 }
  winter: { covers: [/winter/], passwords: [{ id: ww, label: Winter, hash: … }], from: 2026-12-01T09:00, until: 2027-01-15 }
  night: { covers: [/night/], passwords: [{ id: nn, label: Night, hash: … }], from: '2026-10-25T01:30', until: '2026-10-25T01:45' }
  gap: { covers: [/gap/], passwords: [{ id: gg, label: Gap, hash: … }], from: '2026-03-29T01:30', until: '2026-03-30' }
  members:
    covers: [/members/]
    remember: 400 days
    passwords:
      - { id: last, label: Last season, hash: …, until: 2026-12-14 }
      - { id: this, label: This season, hash: …, from: 2026-09-01 }
      - { id: once, label: One night, hash: …, until: '2026-10-25T01:30' }
    bypass: [crew]
bypasses:
  crew: { roles: [crew], from: 2026-11-01, until: '2027-01-31T18:00[America/New_York]' }`,
    rows: `
a stranger at 2027-03-19T23:59:59Z | /x | asked by all | lock all covers it by /, and no other names it more closely
a stranger at 2027-03-20T00:00:00Z | /x | open | lock all covers it by /, but does not count at this time
a stranger at 2026-12-01T08:59 | /winter/ | asked by all | lock winter covers it by /winter/, but does not count at this time
a stranger at 2026-12-01T09:00 | /winter/ | asked by winter | lock winter covers it by /winter/, and no other names it more closely
a stranger at 2027-01-14T23:59 | /winter/ | asked by winter | lock winter covers it by /winter/, and no other names it more closely
a stranger at 2027-01-15 | /winter/ | asked by all | lock winter covers it by /winter/, but does not count at this time
opened winter for this visit at 2027-01-14T23:59 | /winter/ | let in | the visitor has a pass for lock winter by ww, and it counts
opened winter for this visit at 2027-01-15 | /winter/ | asked by all | the visitor has no pass for lock all
opened all for this visit at 2027-01-15 | /winter/ | let in | the visitor has a pass for lock all by oo, and it counts
a stranger at 2026-10-25T00:29Z | /night/ | asked by all | lock night covers it by /night/, but does not count at this time
a stranger at 2026-10-25T00:30Z | /night/ | asked by night | lock night covers it by /night/, and no other names it more closely
a stranger at 2026-10-25T01:00Z | /night/ | asked by night | lock night covers it by /night/, and no other names it more closely
a stranger at 2026-10-25T01:44Z | /night/ | asked by night | lock night covers it by /night/, and no other names it more closely
a stranger at 2026-10-25T01:45Z | /night/ | asked by all | lock night covers it by /night/, but does not count at this time
a stranger at 2026-03-29T00:59Z | /gap/ | asked by all | lock gap covers it by /gap/, but does not count at this time
a stranger at 2026-03-29T01:30Z | /gap/ | asked by gap | lock gap covers it by /gap/, and no other names it more closely
a stranger at 2026-03-29T22:59Z | /gap/ | asked by gap | lock gap covers it by /gap/, and no other names it more closely
a stranger at 2026-03-29T23:00Z | /gap/ | asked by all | lock gap covers it by /gap/, but does not count at this time
opened members by last 5 days ago at 2026-12-13T23:59 | /members/ | let in | the visitor has a pass for lock members by last, and it counts
opened members by last 5 days ago at 2026-12-14 | /members/ | asked by members | the visitor has a pass for lock members by last, but that does not count at this time
opened members by this at 2026-08-31T23:59 | /members/ | asked by members | the visitor has a pass for lock members by this, but that does not count at this time
opened members by this at 2026-09-01 | /members/ | let in | the visitor has a pass for lock members by this, and it counts
opened members by once 1 hour ago at 2026-10-25T00:29Z | /members/ | let in | the visitor has a pass for lock members by once, and it counts
opened members by once 1 hour ago at 2026-10-25T00:31Z | /members/ | asked by members | the visitor has a pass for lock members by once, but that does not count at this time
role crew at 2026-10-31 | /members/ | asked by members | bypass crew of lock members does not apply: not at this time
role crew at 2026-11-01 | /members/ | let in by bypass crew | bypass crew of lock members lets the visitor in
role crew at 2027-01-31T22:59Z | /members/ | let in by bypass crew | bypass crew of lock members lets the visitor in
role crew at 2027-01-31T23:00Z | /members/ | asked by members | bypass crew of lock members does not apply: not at this time
`,
  },
  {
    title: 'Entry links',
    about:
      'A link gives a pass as a password does. The pass ends with the link, when that is revoked, and with what the lock remembers.',
    policy: `site: { name: Kestrelmoor }
locks:
  press:
    covers: [/press/]
    links:
      - { id: herald, label: The Herald, until: 2026-12-14 }
      - { id: later, label: Not yet, from: 2026-12-01, until: 2026-12-14 }
    remember: 30 days`,
    rows: `
a stranger | /press/ | told closed by press | lock press covers it by /press/, and no other names it more closely
opened press by herald | /press/ | let in | the visitor has a pass for lock press by herald, and it counts
opened press by herald 30 days ago | /press/ | told closed by press | the visitor has a pass for lock press by herald, but it is older than the lock remembers
opened press by herald 1 day ago at 2026-12-13 | /press/ | let in | the visitor has a pass for lock press by herald, and it counts
opened press by herald 1 day ago at 2026-12-14 | /press/ | told closed by press | the visitor has a pass for lock press by herald, but that does not count at this time
opened press by later | /press/ | told closed by press | the visitor has a pass for lock press by later, but that does not count at this time
opened press by later at 2026-12-01 | /press/ | let in | the visitor has a pass for lock press by later, and it counts
opened press by revoked | /press/ | told closed by press | the visitor has a pass for lock press by revoked, but that was rotated, retired or revoked since
`,
  },
  {
    title: 'What outsiders get',
    about: 'Who is not let in gets what the lock says; by default its screen.',
    policy: `site: { name: Kestrelmoor }
locks:
  screen: { covers: [/screen/], passwords: [{ id: ss, label: Screen, hash: … }] }
  none: { covers: [/none/] }
  hidden: { covers: [/hidden/], passwords: [{ id: hh, label: Hidden, hash: … }], outsiders: not-found }
  closed: { covers: [/closed/], passwords: [{ id: cc, label: Closed, hash: … }], outsiders: closed }
  sent: { covers: [/sent/], outsiders: { redirect: /join } }
  prompt: { covers: [/prompt/], passwords: [{ id: pp, label: Prompt, hash: … }], basic: always }
  twin: { covers: [/twin/], passwords: [{ id: tt, label: Twin, hash: … }] }
  other: { covers: [/twin/], bypass: [warden] }
bypasses:
  warden: { roles: [warden] }`,
    rows: `
a stranger | /screen/x | asked by screen | the visitor has no pass for lock screen
a stranger | /none/x | told closed by none | lock none has no password and no link that would open it
a stranger | /hidden/x | not found, by hidden | the visitor has no pass for lock hidden
opened hidden for this visit | /hidden/x | let in | the visitor has a pass for lock hidden by hh, and it counts
a stranger | /closed/x | told closed by closed | the visitor has no pass for lock closed
opened closed for this visit | /closed/x | let in | the visitor has a pass for lock closed by cc, and it counts
a stranger | /sent/x | sent to /join by sent | lock sent has no password and no link that would open it
a stranger | /prompt/x | asked in a prompt by prompt | the visitor has no pass for lock prompt
a stranger | /twin/x | asked by twin or other | the visitor has no pass for lock twin
role warden | /twin/x | let in by bypass warden | bypass warden of lock other lets the visitor in
a stranger | /join | open | no lock covers /join
`,
  },
];
