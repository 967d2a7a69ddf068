/** A policy to begin with: of an observatory that does not exist. */
export const example = `# Kestrelmoor Observatory, an invented one.
dorlin: 1
site:
  name: Kestrelmoor Observatory
  timeZone: Europe/Dublin
  languages: [en, fr, ar]
locks:
  members:
    title: The members’ pages
    covers: [/members/, "/events#night-walk"]
    except: [/members/join]
    bypass: [staff, dome]
    remember: { choice: 30 days }
    screen: evening
    passwords:
      # The hash of what only you and your visitors know; this one is of nothing that opens anything.
      - { id: k3v9, label: Season 2026, hash: "$argon2id$v=19$m=19456,t=2,p=1$c2FsdHNhbHRzYWx0c2FsdA$yqyrMHEW1Z8rW6Dz0H0v5QyIA2u6k3oHn2kZ9J1mH0g" }
  press:
    covers: ["/press/**/*.pdf"]
    outsiders: not-found
    bypass: [staff]
  refit:
    covers: [/shop/]
    outsiders: closed
    until: 2027-03-20T09:00
    screen: soon
bypasses:
  staff: { roles: [editor, warden] }
  dome: { addresses: [203.0.113.0/24] }
screens:
  default: { look: harbour }
  evening: { look: lantern, text: { heading: { en: Members’ evening log, fr: Le carnet du soir } } }
  soon: { look: daybreak, above: [{ countdown: end }] }
`;

export const exampleAddresses = `/
/members/
/members/log
/members/join
/events#night-walk
/press/2026/comet.pdf
/shop/
/MEMBERS//log
/members/%2e%2e/secret`;
