import type { Review } from '../core/policy/review.js';
import type { NeededFile } from '../owner/needed-files.js';
import { counted, listed, paint, print } from './output.js';

const shownAtMost = 12;

const headings = { closed: 'Closed', opened: 'Opened', moved: 'Under another lock' } as const;
const colors = { closed: paint.red, opened: paint.green, moved: (text: string) => text };

/** Says in words what opened and what closed for strangers, and who gets in now. */
export function printChange({ groups, ways, putsOut, ...review }: Review): void {
  if (putsOut) {
    print(paint.bold(paint.red('Everybody who is in is put out, and every entry link is dead:')));
    print('passes and links are bound to the site’s id, or to its origin or name where it has none.');
  }
  if (groups.length === 0) print('Nothing opened and nothing closed for strangers.');
  for (const change of ['closed', 'opened', 'moved'] as const) {
    const these = groups.filter((group) => group.change === change);
    if (these.length === 0) continue;
    const count = counted(review[change].length, 'address', 'addresses');
    print(`${colors[change](headings[change])}: ${count}`);
    for (const { before, after, places } of these) {
      print(`  ${paint.dim(underWords(change, before, after))}`);
      for (const { place, addresses } of places.slice(0, shownAtMost)) {
        const isFolder = place.endsWith('/') && addresses > 1;
        const all = isFolder ? paint.dim(`  all ${counted(addresses, 'address', 'addresses')} in it`) : '';
        print(`    ${decodeURI(place)}${all}`);
      }
      if (places.length > shownAtMost) print(`    and ${places.length - shownAtMost} more`);
    }
  }
  if (ways.length > 0) print();
  for (const { change, lock, kind, label } of ways) {
    print(`${paint.bold(lock)}: the ${kind} “${label}” ${happened[change]}`);
  }
}

const happened = {
  added: 'opens it now',
  changed: 'was changed',
  ended: 'no longer opens it',
} as const;

function underWords(change: keyof typeof headings, before: readonly string[], after: readonly string[]): string {
  const names = (locks: readonly string[]) => listed(locks.map((lock) => lock || 'an address that cannot be read'));
  if (change === 'closed') return `by ${names(after)}`;
  if (change === 'opened') return `was shut by ${names(before)}`;
  return `by ${names(after)}, was by ${names(before)}`;
}

/** Says which files open pages need and strangers do not get, and how to open those. */
export function printNeeds(needs: readonly NeededFile[]): void {
  if (needs.length === 0) return;
  const files = needs.map(({ file }) => decodeURI(file));
  const shown = files.slice(0, 6);
  const more = files.length > shown.length ? ` and ${files.length - shown.length} more` : '';
  print();
  print(
    paint.yellow(
      `To look as they should, they need ${counted(files.length, 'file')} that ${files.length === 1 ? 'is' : 'are'} still shut:`,
    ),
  );
  print(`  ${shown.join(' ')}${more}`);
  print(`  ${paint.cyan('→')} ${command(`release ${foldersOf(files).join(' ')}`)}`);
}

/** The files, or the folder in their place where several lie in one that is no page's. */
function foldersOf(files: readonly string[]): string[] {
  const places = new Set<string>();
  for (const file of files) {
    const folder = file.slice(0, file.lastIndexOf('/') + 1);
    const inside = files.filter((other) => other.startsWith(folder)).length;
    places.add(folder !== '/' && inside > 2 ? folder : file);
  }
  return [...places].map((place) => (/[\s'"$&;()<>|*?]/.test(place) ? `'${place}'` : place));
}

/** How `dorlin` is called here: from where it is installed in the folder alone, by `npx`. */
export const program =
  process.env['npm_command'] === 'exec' || process.env['npm_lifecycle_event'] === 'npx' ? 'npx dorlin' : 'dorlin';

/** A command to type, as it works where it is printed. */
export const command = (words: string) => `${program} ${words}`;
