import { enableFields } from '../screen.js';
import { fromBase64Url } from '../../core/sealing/bytes.js';
import { openKeyring, type Keyring } from '../../core/sealing/keyring.js';
import { openBytes } from '../../core/sealing/sealed-bytes.js';
import { normalizePassword } from '../../core/passwords/normalize.js';
import { dropKey, heldKeys, holdKey } from './keys.js';
import type { UnsealWords } from './scope.js';

/** One page that holds itself, sealed: no worker and no server, and from a disk as well. */
interface Single {
  readonly ring: Keyring;
  /** Tells this page from others whose keys the browser keeps at the same place. */
  readonly id: string;
  readonly lock: string;
  /** Seconds; 0: each time anew. */
  readonly remember: number;
  readonly isChoice: boolean;
  readonly packed: boolean;
}

const about = JSON.parse(document.querySelector('#dorlin-single')?.textContent ?? '{}') as Single;
const words = (window as unknown as { readonly dorlinWords: Readonly<Record<string, UnsealWords>> }).dorlinWords;
const said = words[document.documentElement.lang] ?? Object.values(words)[0];

function say(text: string): void {
  const form = document.querySelector('form');
  const error = document.querySelector('#error') ?? document.createElement('p');
  Object.assign(error, { id: 'error', className: 'error', textContent: text });
  error.setAttribute('role', 'alert');
  (form ?? document.querySelector('main'))?.prepend(error);
}

/** Puts the page in the place of its screen. @returns false where it is damaged */
async function show(key: CryptoKey): Promise<boolean> {
  const sealed = fromBase64Url(document.querySelector('#dorlin-sealed')?.textContent.trim() ?? '');
  const bytes = await openBytes(sealed, key);
  if (bytes === undefined) return false;
  const stream = new Blob([bytes]).stream();
  const plain = about.packed ? stream.pipeThrough(new DecompressionStream('gzip')) : stream;
  const html = await new Response(plain).text();
  document.open();
  // The one way by which a page takes the place of another with its scripts, where no host answers.
  // eslint-disable-next-line @typescript-eslint/no-deprecated
  document.write(html);
  document.close();
  return true;
}

async function submitted(form: HTMLFormElement): Promise<void> {
  const field = (name: string) => form.elements.namedItem(name) as HTMLInputElement | null;
  const input = field('password');
  if (input === null || form.ariaBusy === 'true') return;
  form.ariaBusy = 'true';
  const found = await openKeyring(about.ring, normalizePassword(input.value));
  form.ariaBusy = 'false';
  if (found === undefined) {
    say(said?.wrong ?? '');
    input.setAttribute('aria-invalid', 'true');
    input.setAttribute('aria-describedby', 'error');
    input.select();
    input.focus();
    return;
  }
  if (about.remember > 0 && (!about.isChoice || field('stay')?.checked === true)) {
    const ends = Date.now() + about.remember * 1000;
    // Where a browser keeps nothing for files of a disk, it asks each time.
    await holdKey(about.id, { lock: about.lock, key: found.key, id: about.id, ends }).catch(() => undefined);
  }
  if (!(await show(found.key))) say(said?.broken ?? '');
}

async function begin(): Promise<void> {
  const { subtle } = crypto as { readonly subtle?: SubtleCrypto };
  if (subtle === undefined) {
    say(said?.plain ?? '');
    return;
  }
  addEventListener('submit', (event) => {
    event.preventDefault();
    void submitted(event.target as HTMLFormElement);
  });
  enableFields();
  const [held] = await heldKeys(about.id).catch(() => []);
  if (held === undefined) return;
  if (held.ends > Date.now() && (await show(held.key))) return;
  await dropKey(about.id, held.lock);
}

void begin();
