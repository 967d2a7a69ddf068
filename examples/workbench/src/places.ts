import {
  decide,
  decideSection,
  newPass,
  reasonText,
  sectionsAt,
  splitFragment,
  wouldChange,
  type Policy,
  type Question,
  type Reason,
} from 'dorlin';
import { element, fill, offer, withText } from './page.js';

const who = element('who', HTMLSelectElement);
const what = element('what', HTMLInputElement);
const at = element('at', HTMLInputElement);

const described: Readonly<Record<string, string>> = {
  role: 'role',
  person: 'name',
  address: 'address',
};

/** The mark of a visit that passes for one visit are bound to: 22 letters. */
const session = 'seen-on-the-workbench-';

function questionOf(policy: Policy): Omit<Question, 'target'> {
  // Written without a zone, and so meant in that of this machine.
  const now = (at.value === '' ? Date.now() : Date.parse(at.value)) / 1000;
  const [kind = '', name = ''] = who.value.split(' ');
  const lock = kind === 'guest' ? policy.locks.get(name) : undefined;
  const opener = lock && [...lock.openers.values()][0];
  const passes =
    lock && opener ? [newPass(lock, opener, now, lock.remember.kind === 'visit' ? session : undefined)] : [];
  const visitor = {
    address: kind === 'address' ? what.value.trim() || undefined : undefined,
    person: kind === 'person' ? what.value.trim() : undefined,
    roles: kind === 'role' ? what.value.split(',').map((one) => one.trim()) : [],
    signedIn: kind === 'person' || kind === 'role' || kind === 'signed-in',
  };
  return { passes, session, visitor, now };
}

/** What that visitor gets at each address, and why. */
export function showPlaces(policy: Policy, addresses: string): void {
  const guests = [...policy.locks.values()].filter(({ openers }) => openers.size > 0);
  offer(who, [
    ['stranger', 'a stranger'],
    ...guests.map(({ name }) => [`guest ${name}`, `a guest of ${name}`] as const),
    ['signed-in', 'somebody signed in'],
    ['role', 'somebody with a role'],
    ['person', 'somebody by name'],
    ['address', 'somebody from an address'],
  ]);
  const word = described[who.value];
  element('what-field', HTMLElement).hidden = word === undefined;
  element('what-label', HTMLElement).textContent = word ?? '';
  const question = questionOf(policy);
  fill(
    element('decided', HTMLElement),
    addresses
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== '')
      .slice(0, 2000)
      .map((address) => row(policy, address, question)),
  );
}

const words = {
  open: 'gets it, as everybody does',
  'let-in': 'is let in',
  shut: 'is not let in',
  refused: 'is refused: nobody gets it',
} as const;

function row(policy: Policy, address: string, question: Omit<Question, 'target'>): HTMLElement {
  const made = document.createElement('tr');
  const name = withText('th', address);
  name.setAttribute('scope', 'row');
  try {
    const reasons: Reason[] = [];
    const { target, id } = splitFragment(address);
    const decision = decide(policy, { ...question, target: sent(target) }, reasons);
    const section = id === undefined ? undefined : sectionsAt(policy, sent(target)).get(id);
    const part = section && decideSection(section, question, reasons);
    const locks = 'locks' in decision ? decision.locks : part !== undefined && 'locks' in part ? part.locks : [];
    const isPartShut = part?.kind === 'shut' && decision.kind !== 'shut';
    const why = document.createElement('td');
    const details = document.createElement('details');
    fill(details, [
      withText('summary', locks.length === 0 ? 'no lock' : locks.map((lock) => lock.name).join(', ')),
      list([
        ...reasons.map((reason) => reasonText(reason).replaceAll('`', '')),
        ...(decision.kind === 'shut' ? wouldChange(decision, question.now, policy.site.timeZone) : []),
      ]),
    ]);
    why.append(details);
    made.append(
      name,
      withText(
        'td',
        isPartShut ? 'gets the page without that part' : words[decision.kind],
        isPartShut ? 'shut' : decision.kind,
      ),
      why,
    );
  } catch (error) {
    made.append(name, withText('td', error instanceof Error ? error.message : String(error), 'shut'));
  }
  return made;
}

/** As a browser sends it: what is percent-encoded stays so, all else that must be is. */
const sent = (target: string): string => encodeURI(target).replaceAll('%25', '%');

function list(texts: readonly string[]): HTMLElement {
  const made = document.createElement('ul');
  fill(
    made,
    texts.map((text) => withText('li', text)),
  );
  return made;
}
