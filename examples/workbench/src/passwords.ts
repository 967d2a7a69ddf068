import { generatePassword, judgeStrength, type Policy } from 'dorlin';
import { element } from './page.js';

const field = element('password', HTMLInputElement);
const said = element('strength', HTMLElement);

let policy: Policy | undefined;

/** What somebody who guesses would try first. */
const wordsOf = ({ site, locks }: Policy): string[] => [
  ...site.name.split(/\s+/),
  ...[...locks.values()].flatMap(({ name, title = '', openers }) => [
    name,
    ...title.split(/\s+/),
    ...[...openers.values()].map(({ label }) => label),
  ]),
];

async function judge(): Promise<void> {
  const typed = field.value;
  if (typed === '' || policy === undefined) {
    said.textContent = '';
    return;
  }
  // Loaded when somebody types: the lists are larger than all the rest.
  const { estimateGuesses } = await import('./estimate.js');
  if (field.value === typed) said.textContent = judgeStrength(typed, wordsOf(policy), estimateGuesses).words;
}

field.addEventListener('input', () => void judge());
element('propose', HTMLButtonElement).addEventListener('click', () => {
  field.value = generatePassword((count) => crypto.getRandomValues(new Uint8Array(count))).password;
  void judge();
});

/** Judges passwords by the words of this policy. */
export function showPasswords(next: Policy): void {
  policy = next;
}
