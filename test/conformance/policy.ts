/** The policy that every front is given. `{hash …}` is filled with a hash of that password. */
export const policyTemplate = `dorlin: 1
site:
  id: heron
  name: Heron Hide
  origin: https://heron.example
  trustedProxies: [127.0.0.1/32, ::1/128]
  folder: site
  sitemaps: [/sitemap.xml]
locks:
  members:
    covers: [/members/]
    except: [/members/join]
    bypass: [wardens]
    passwords: [{ id: aaaa, label: Season, hash: "{hash}" }]
  trustees:
    covers: [/trustees/]
    bypass: [wardens]
    outsiders: not-found
  teachers:
    covers: [/visits/teacher-pack]
    passwords: [{ id: bbbb, label: Teachers, hash: "{hash}" }]
    outsiders: { redirect: /about }
  shop:
    covers: [/shop/]
    outsiders: closed
    until: 2099-01-01
  archive:
    covers: [/archive/]
    basic: true
    passwords: [{ id: cccc, label: reader, hash: "{hash}" }]
  night-walk:
    covers: ["/events#night-walk"]
    passwords: [{ id: dddd, label: Tickets, hash: "{hash}" }]
bypasses:
  wardens: { roles: [warden], ribbon: false }
identity:
  header: { from: trustedProxies, person: X-User, roles: X-Roles }
`;
/** What opens all its locks. */
export const thePassword = 'amber heron over quiet water';
export const theSecret = 'a secret of the conformance suite that is long enough';
