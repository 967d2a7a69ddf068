import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import '@fontsource-variable/literata/wght.css';
import { readPolicy, type Policy } from 'dorlin';
import './style.css';
import { example, exampleAddresses } from './example.js';
import { element, fill, select } from './page.js';
import { showPasswords } from './passwords.js';
import { showPlaces } from './places.js';
import { showScreens } from './screens.js';

const policyField = element('policy', HTMLTextAreaElement);
const problems = element('problems', HTMLElement);
const addresses = element('addresses', HTMLTextAreaElement);

/** The last policy that was without a mistake: what is shown, while another is being typed. */
let policy: Policy | undefined;

function show(): void {
  if (policy === undefined) return;
  showPlaces(policy, addresses.value);
  showScreens(policy);
  showPasswords(policy);
}

function read(): void {
  const reading = readPolicy(policyField.value);
  fill(
    problems,
    reading.ok
      ? []
      : reading.problems.map(({ path, message, position }) => {
          const item = document.createElement('button');
          item.type = 'button';
          item.textContent = `${position === undefined ? '' : `Line ${position.line}: `}${path.join('.')}${path.length > 0 ? ': ' : ''}${message.replaceAll('`', '')}`;
          item.addEventListener('click', () => {
            goTo(position?.line ?? 1);
          });
          return item;
        }),
  );
  if (reading.ok) policy = reading.policy;
  document.body.classList.toggle('stale', !reading.ok);
  show();
}

/** Puts the cursor at a line of the policy. */
function goTo(line: number): void {
  const lines = policyField.value.split('\n');
  const start = lines.slice(0, line - 1).join('\n').length + (line > 1 ? 1 : 0);
  policyField.focus();
  policyField.setSelectionRange(start, start + (lines[line - 1]?.length ?? 0));
}

function begin(): void {
  policyField.value = example;
  addresses.value = exampleAddresses;
  read();
}

policyField.addEventListener('input', read);
for (const id of ['visitor', 'addresses', 'drawn']) element(id, HTMLElement).addEventListener('input', show);
for (const form of document.querySelectorAll('form'))
  form.addEventListener('submit', (event) => {
    event.preventDefault();
  });
element('example', HTMLButtonElement).addEventListener('click', begin);

// A file that is dropped anywhere is read as the policy.
document.addEventListener('dragover', (event) => {
  event.preventDefault();
});
document.addEventListener('drop', (event) => {
  event.preventDefault();
  const [file] = event.dataTransfer?.files ?? [];
  if (file === undefined || file.size > 2_000_000) return;
  void file.text().then((text) => {
    policyField.value = text;
    read();
  });
});

const tabs = [...document.querySelectorAll<HTMLButtonElement>('[role=tab]')];
for (const [at, tab] of tabs.entries()) {
  tab.addEventListener('click', () => {
    select(tabs, tab);
  });
  tab.addEventListener('keydown', ({ key }) => {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[key] ?? 0;
    const next = step === 0 ? undefined : tabs[(at + step + tabs.length) % tabs.length];
    if (next === undefined) return;
    select(tabs, next);
    next.focus();
  });
}
begin();
