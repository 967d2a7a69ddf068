import type { Policy } from '../policy/types.js';
import { accessOfStranger } from '../access.js';
import type { Block } from '../screen/design/block-schema.js';
import { pairsOf, type Pair } from '../screen/design/contrast.js';
import type { Color } from '../screen/design/color.js';
import { filesOf } from '../screen/design/files.js';
import { keptName } from '../screen/kept-file.js';
import type { Screen } from '../screen/screen.js';
import type { Finding } from './table.js';

/** Finds a color that passes in the place of one that does not. */
export type ColorFinder = (color: Color, behind: readonly Color[], wanted: number) => Color | undefined;

/** More than these, and a visitor has to look for the field. */
const most = { blocks: 3, links: 5, words: 120 };

/**
 * What can be seen of the screens.
 * @param targets - the site's files as targets, where they are known
 * @param kept - the names of the files that are kept beside the policy for screens
 */
export function checkScreens(
  policy: Policy,
  nearest: ColorFinder,
  now: number,
  targets?: ReadonlySet<string>,
  kept?: ReadonlySet<string>,
): Finding[] {
  const users = new Map<Screen, string[]>();
  for (const { name, screen } of policy.locks.values()) {
    users.set(screen, [...(users.get(screen) ?? []), name]);
  }
  return [...policy.screens.values()].flatMap((screen): Finding[] => {
    const about = screen.name;
    if (!users.has(screen) && screen !== policy.defaultScreen) {
      return [{ code: 'screen-unused', about, text: `No lock shows the screen ${about}.` }];
    }
    return [
      ...failingPairs(screen).map((pair): Finding => {
        const text = `The screen ${about}: ${pairWords(pair)}; ${mendWords(pair, nearest)}.`;
        return { code: 'screen-contrast', about, text };
      }),
      ...clutterOf(screen),
      ...checkFiles(policy, screen, { now, targets, kept }),
      ...checkCountdown(policy, screen),
    ];
  });
}

export const failingPairs = ({ design }: Screen): Pair[] =>
  pairsOf(design).filter(({ ratio, wanted }) => ratio < wanted);

/** `soft #888888 on the card has 3.54 of 4.5, in light`. */
export const pairWords = ({ role, color, on, ratio, wanted, scheme }: Pair): string =>
  `${role} ${color} on ${on} has ${shownRatio(ratio)} of ${wanted}, in ${scheme}`;

/** Cut, not rounded: 4.499 is not 4.5. */
export const shownRatio = (ratio: number): string => (Math.floor(ratio * 100) / 100).toFixed(2);

function mendWords({ color, behind, wanted }: Pair, nearest: ColorFinder): string {
  const found = nearest(color, behind, wanted);
  return found === undefined
    ? 'no color has enough there: give the card or the overlay more strength'
    : `the nearest that passes is ${found}`;
}

const wordsIn = (block: Block) =>
  block.kind !== 'markdown'
    ? 0
    : Math.max(
        ...(typeof block.text === 'string' ? [block.text] : Object.values(block.text)).map(
          (text) => text.split(/\s+/).length,
        ),
      );

function clutterOf({ name, design }: Screen): Finding[] {
  const blocks = [...design.above, ...design.below];
  const links = blocks.reduce((sum, block) => sum + (block.kind === 'links' ? block.links.length : 0), 0);
  const words = blocks.reduce((sum, block) => sum + wordsIn(block), 0);
  const requests = blocks.filter(({ kind }) => kind === 'request').length;
  const much = [
    ...(blocks.length > most.blocks ? [`${blocks.length} blocks`] : []),
    ...(links > most.links ? [`${links} links`] : []),
    ...(words > most.words ? [`${words} words of Markdown`] : []),
    ...(requests > 1 ? [`${requests} requests`] : []),
  ];
  if (much.length === 0) return [];
  return [{ code: 'screen-clutter', about: name, text: `The screen ${name} has ${much.join(', ')}.` }];
}

function checkFiles(
  policy: Policy,
  { name, design }: Screen,
  {
    now,
    targets,
    kept,
  }: {
    readonly now: number;
    readonly targets: ReadonlySet<string> | undefined;
    readonly kept: ReadonlySet<string> | undefined;
  },
): Finding[] {
  return filesOf(design).flatMap((path): Finding[] => {
    const own = keptName(policy.site.prefix, path);
    if (own !== undefined) {
      if (kept?.has(own) !== false) return [];
      const text = `The screen ${name} shows ${own}, which is not kept beside the policy.`;
      return [{ code: 'screen-file-missing', about: name, text }];
    }
    if (!accessOfStranger(policy, path, now).open) {
      const text = `The screen ${name} shows ${path}, which is locked.`;
      return [{ code: 'screen-file-locked', about: name, text }];
    }
    if (targets === undefined || targets.has(path)) return [];
    const text = `The screen ${name} shows ${path}, which is no file of the site.`;
    return [{ code: 'screen-file-missing', about: name, text }];
  });
}

function checkCountdown(policy: Policy, screen: Screen): Finding[] {
  const { above, below } = screen.design;
  if (![...above, ...below].some(({ kind }) => kind === 'countdown')) return [];
  return [...policy.locks.values()]
    .filter((lock) => lock.screen === screen && lock.window.until === undefined)
    .map(({ name }) => ({
      code: 'screen-countdown-endless',
      about: screen.name,
      text: `The screen ${screen.name} counts down to the end of the lock ${name}, which has none.`,
    }));
}
