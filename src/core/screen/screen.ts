import { designOf, type Design } from './design/design.js';
import type { Scheme, ScreenDocument } from './design/document.js';
import { screenSchema } from './design/schema.js';
import { looks } from './looks/looks.js';
import { sectionStyle } from './section-style.js';
import { screenStyle } from './style.js';

/** A screen, ready to be shown. */
export interface Screen {
  /** Its name in the policy. */
  readonly name: string;
  readonly design: Design;
  /** The language of the owner's texts that are not said by language: the site's first. */
  readonly ownTag: string;
  readonly style: string;
  /** The style of the form in the place of a section; undefined where the site's own serves. */
  readonly sectionStyle: string | undefined;
}

/** A screen as it is in one scheme, whatever the visitor prefers. */
export function inScheme(screen: Screen, scheme: Scheme): Screen {
  const design = { ...screen.design, scheme };
  return { ...screen, design, style: screenStyle(design) };
}

/** The name of the screen of locks that name none. */
export const defaultScreenName = 'default';

/** Makes a screen of what the policy says of it. */
export function makeScreen(name: string, document: ScreenDocument, ownTag: string): Screen {
  const design = designOf(document, looks[document.look]);
  return {
    name,
    design,
    ownTag,
    style: screenStyle(design),
    sectionStyle: design.dressesSections ? sectionStyle(name, design) : undefined,
  };
}

/** The screens of a policy; always with the one of locks that name none. */
export function makeScreens(
  documents: Readonly<Record<string, ScreenDocument>>,
  ownTag: string,
): { readonly screens: ReadonlyMap<string, Screen>; readonly defaultScreen: Screen } {
  const { [defaultScreenName]: written = screenSchema.parse({}), ...others } = documents;
  const defaultScreen = makeScreen(defaultScreenName, written, ownTag);
  const screens = new Map([[defaultScreenName, defaultScreen]]);
  for (const [name, document] of Object.entries(others)) {
    screens.set(name, makeScreen(name, document, ownTag));
  }
  return { screens, defaultScreen };
}
