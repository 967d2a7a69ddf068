import { parse } from 'parse5';
import { cutAttribute } from '../core/sections/replacement.js';
import { attribute, elementsIn, type Element } from '../core/sections/tree.js';
import type { SiteAddresses } from './site-addresses.js';

/** A form that asks for a password. */
export interface PasswordForm {
  /** The target that it is sent to. */
  readonly action: string;
  /** What it sends besides, as it stands. */
  readonly fields: Readonly<Record<string, string>>;
  /** The name of the field for the password. */
  readonly passwordField: string;
  /** The box by which a visitor asks to be remembered. */
  readonly stayField: string | undefined;
  /** The lock that it names, where it names one. */
  readonly lock: string | undefined;
  /** Whether it stands in the place of a section of a page. */
  readonly isForSection: boolean;
}

/** The forms of a page that ask for one password, and for no name beside it. */
export function formsIn(text: string, target: string, site: SiteAddresses): PasswordForm[] {
  if (!/type\s*=\s*["']?password/i.test(text)) return [];
  const elements = elementsIn(parse(text));
  return elements.flatMap((form): PasswordForm[] => {
    if (form.tagName !== 'form' || !/^post$/i.test(attribute(form, 'method') ?? '')) return [];
    const id = attribute(form, 'id');
    // Some stand elsewhere, and name their form (HTML standard section 4.10.17.3).
    const elsewhere = id === undefined ? [] : elements.filter((one) => attribute(one, 'form') === id);
    const inputs = [...elementsIn(form), ...elsewhere].filter(({ tagName }) => tagName === 'input');
    const typeOf = (input: Element) => (attribute(input, 'type') ?? 'text').toLowerCase();
    const password = inputs.filter((input) => typeOf(input) === 'password');
    const [field] = password;
    const name = field && attribute(field, 'name');
    if (field === undefined || name === undefined || password.length > 1) return [];
    if (inputs.some((input) => /^(?:text|email|tel)$/.test(typeOf(input)) && !isHiddenFrom(input))) return [];
    const fields: Record<string, string> = {};
    for (const input of inputs) {
      const hidden = attribute(input, 'name');
      if (hidden !== undefined && typeOf(input) === 'hidden') fields[hidden] = attribute(input, 'value') ?? '';
    }
    const box = inputs.find((input) => typeOf(input) === 'checkbox');
    const action = site.targetOf(attribute(form, 'action') ?? target, target);
    if (action === undefined) return [];
    return [
      {
        action,
        fields,
        passwordField: name,
        stayField: box === undefined ? undefined : attribute(box, 'name'),
        lock: fields['lock'],
        isForSection: isInSection(field),
      },
    ];
  });
}

/** A text field for robots alone, or for password managers. */
const isHiddenFrom = (input: Element) =>
  attribute(input, 'hidden') !== undefined || attribute(input, 'autocomplete') === 'username';

function isInSection(field: Element): boolean {
  for (
    let above: Element['parentNode'] | Element = field;
    above !== null && 'tagName' in above;
    above = above.parentNode
  ) {
    if (attribute(above, cutAttribute) !== undefined) return true;
  }
  return false;
}
