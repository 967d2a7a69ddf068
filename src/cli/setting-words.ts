import type { SettingKey } from '../owner/key-value.js';
import { columns, paint, print, printJson } from './output.js';

/** The keys that can be set; only those that have one of some words in them, where any are given. */
export function printKeys(all: readonly SettingKey[], wanted: readonly string[], json: boolean | undefined): void {
  const keys = all.filter(
    ({ key }) => wanted.length === 0 || wanted.some((word) => key.toLowerCase().includes(word.toLowerCase())),
  );
  if (json === true) {
    printJson({ keys });
    return;
  }
  if (keys.length === 0) print('No key has that in its name.');
  else print(columns(keys.map(({ key, about, words }) => [paint.bold(key), aboutWords(about, words)])));
}

const aboutWords = (about = '', words: readonly string[] = []) => {
  // A description that names the words itself need not have them twice.
  const rest = words.filter((word) => !about.includes(word));
  const text = [about, rest.length > 0 && rest.length < 12 ? rest.join(', ') : ''].filter(Boolean).join(' ');
  return text.length > 100 ? `${text.slice(0, 99)}…` : text;
};
