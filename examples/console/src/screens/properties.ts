import type { Design } from '../../../../dist/design.js';

export type Kind =
  | 'number'
  | 'share'
  | 'choice'
  | 'flag'
  | 'position'
  | 'family'
  | 'width'
  | 'text'
  | 'longText'
  | 'address'
  | 'picture'
  | 'art'
  | 'home'
  | 'fonts'
  | 'blocks'
  | 'css'
  | 'palette'
  | 'look'
  | 'logo';

/** One property of a design: its key in the policy, what it is called, and when it does nothing. */
export interface Property {
  readonly key: string;
  readonly label: string;
  readonly kind: Kind;
  /** Why it does nothing as the design is; undefined where it does something. */
  readonly idle?: (design: Design) => string | undefined;
}

export interface Group {
  readonly id: string;
  readonly name: string;
  readonly properties: readonly Property[];
}

const floats = ({ layout }: Design) => layout === 'card' || layout === 'cover';
const unless = (isUsed: (design: Design) => boolean, why: string) => (design: Design) =>
  isUsed(design) ? undefined : why;
const withPicture = unless(({ background }) => background.picture !== undefined, 'once there is a background picture');

const number = (key: string, label: string, idle?: Property['idle']): Property => ({
  key,
  label,
  kind: 'number',
  ...(idle && { idle }),
});
const control = (name: string): readonly Property[] => [
  number(`${name}.radius`, 'Round corners'),
  number(`${name}.border`, 'Border'),
  number(`${name}.padding`, 'Space inside'),
  { key: `${name}.width`, label: 'Width', kind: 'width' },
  { key: `${name}.shadow`, label: 'Shadow', kind: 'choice' },
];

/** In which state each text is met, and what it is called. */
export const textGroups: readonly {
  readonly state: string;
  readonly name: string;
  readonly texts: readonly (readonly [string, string, 'text' | 'longText'])[];
}[] = [
  {
    state: 'ask',
    name: 'When it asks',
    texts: [
      ['heading', 'Heading', 'text'],
      ['message', 'Line below', 'longText'],
      ['label', 'Over the field', 'text'],
      ['placeholder', 'In the empty field', 'text'],
      ['button', 'On the button', 'text'],
      ['stay', 'Beside the box to stay', 'text'],
      ['hint', 'For those who have no password', 'longText'],
      ['home', 'The way home', 'text'],
      ['smallPrint', 'Small print', 'longText'],
    ],
  },
  { state: 'wrong', name: 'When it was wrong', texts: [['wrong', 'What is said', 'longText']] },
  { state: 'wait', name: 'After too many tries', texts: [['wait', 'What is said', 'longText']] },
  {
    state: 'closed',
    name: 'When it is closed',
    texts: [
      ['closedHeading', 'Heading', 'text'],
      ['closedMessage', 'Line below', 'longText'],
      ['opens', 'When it opens', 'text'],
    ],
  },
  {
    state: 'sign-in',
    name: 'For members of the site',
    texts: [
      ['signInHeading', 'Heading', 'text'],
      ['signInMessage', 'Line below', 'longText'],
      ['signInButton', 'On the button', 'text'],
    ],
  },
  {
    state: 'sent',
    name: 'After an address was left',
    texts: [
      ['sentHeading', 'Heading', 'text'],
      ['sentMessage', 'Line below', 'longText'],
    ],
  },
  {
    state: 'section',
    name: 'In the place of a section',
    texts: [
      ['sectionLocked', 'What is said', 'text'],
      ['sectionClosed', 'When it is closed', 'text'],
      ['sectionButton', 'On the button', 'text'],
    ],
  },
];

/** Every property that a design has, in the order in which it is designed. */
export const groups: readonly Group[] = [
  {
    id: 'look',
    name: 'Look and layout',
    properties: [
      { key: 'look', label: 'The look it starts from', kind: 'look' },
      { key: 'layout', label: 'Layout', kind: 'choice' },
      { key: 'scheme', label: 'Light and dark', kind: 'choice' },
    ],
  },
  {
    id: 'words',
    name: 'Words',
    properties: textGroups.flatMap(({ texts }) =>
      texts.map(([key, label, kind]): Property => ({ key: `text.${key}`, label, kind })),
    ),
  },
  {
    id: 'logo',
    name: 'Logo and way home',
    properties: [
      { key: 'logo', label: 'Logo', kind: 'logo' },
      { key: 'home', label: 'The way home', kind: 'home' },
    ],
  },
  {
    id: 'colors',
    name: 'Colors',
    properties: [
      {
        key: 'colors.light',
        label: 'In light',
        kind: 'palette',
        idle: unless(({ scheme }) => scheme !== 'dark', 'as it is always dark'),
      },
      {
        key: 'colors.dark',
        label: 'In the dark',
        kind: 'palette',
        idle: unless(({ scheme }) => scheme !== 'light', 'as it is always light'),
      },
    ],
  },
  {
    id: 'type',
    name: 'Letters',
    properties: [
      { key: 'type.family', label: 'Letters', kind: 'family' },
      number('type.size', 'Size'),
      { key: 'type.heading.family', label: 'Letters of the heading', kind: 'family' },
      number('type.heading.size', 'Size of the heading'),
      number('type.heading.weight', 'Weight of the heading'),
      { key: 'type.files', label: 'Fonts of your own', kind: 'fonts' },
    ],
  },
  {
    id: 'card',
    name: 'What the words stand on',
    properties: [
      number('card.width', 'Width'),
      number('card.padding', 'Space inside'),
      number('card.radius', 'Round corners', unless(floats, 'in the layouts card and cover')),
      number(
        'card.border',
        'Border',
        unless(({ layout }) => layout !== 'side', 'in every layout but side'),
      ),
      {
        key: 'card.shadow',
        label: 'Shadow',
        kind: 'choice',
        idle: unless(({ layout }) => layout !== 'side', 'in every layout but side'),
      },
      { key: 'card.opacity', label: 'How much of what is behind it hides', kind: 'share' },
      {
        key: 'card.position',
        label: 'Where it stands',
        kind: 'position',
        idle: unless(({ layout }) => layout !== 'band', 'in every layout but band'),
      },
    ],
  },
  { id: 'field', name: 'Field', properties: control('field') },
  { id: 'button', name: 'Button', properties: control('button') },
  {
    id: 'background',
    name: 'Background',
    properties: [
      number('background.gradient', 'Direction of the two page colors'),
      { key: 'background.picture', label: 'Picture behind everything', kind: 'picture' },
      { key: 'background.fit', label: 'How it fills the page', kind: 'choice', idle: withPicture },
      { key: 'background.position', label: 'Which part of it is kept', kind: 'position', idle: withPicture },
      { key: 'background.repeat', label: 'Laid like tiles', kind: 'flag', idle: withPicture },
      { key: 'background.overlay', label: 'How much page color lies over it', kind: 'share', idle: withPicture },
    ],
  },
  {
    id: 'picture',
    name: 'Picture or drawing',
    properties: [
      {
        key: 'picture',
        label: 'In the place of the drawing',
        kind: 'art',
        idle: unless(({ layout }) => layout !== 'sheet', 'in every layout but sheet'),
      },
    ],
  },
  {
    id: 'blocks',
    name: 'More parts',
    properties: [
      { key: 'above', label: 'Above the form', kind: 'blocks' },
      { key: 'below', label: 'Below the form', kind: 'blocks' },
    ],
  },
  {
    id: 'more',
    name: 'Sections and CSS',
    properties: [
      { key: 'sections', label: 'Forms in the place of a section look like', kind: 'choice' },
      { key: 'css', label: 'More CSS', kind: 'css' },
    ],
  },
];

/** What the words of a policy mean, where a property is one of few. */
export const choiceWords: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  layout: {
    side: 'beside a picture',
    card: 'on a card',
    cover: 'over a picture',
    band: 'in a band',
    sheet: 'one plain column',
  },
  scheme: { both: 'as visitors prefer', light: 'always light', dark: 'always dark' },
  shadow: { none: 'none', soft: 'soft', deep: 'deep', hard: 'hard' },
  fit: { cover: 'fills it', contain: 'is seen whole', own: 'in its own size' },
  sections: { screen: 'this screen', site: 'the site around them' },
};

/** Parts of a drawn screen, and the property that each is made by: the first that fits, from the inside. */
export const parts: readonly (readonly [selector: string, property: string, state?: string])[] = [
  ['.wait .error', 'text.wait'],
  ['.error', 'text.wrong'],
  ['.closed h1', 'text.closedHeading'],
  ['.closed .opens', 'text.opens'],
  ['.closed .message', 'text.closedMessage'],
  ['.sign-in h1', 'text.signInHeading'],
  ['.sign-in .message', 'text.signInMessage'],
  ['.sent h1', 'text.sentHeading'],
  ['.sent .message', 'text.sentMessage'],
  ['h1', 'text.heading'],
  ['.message', 'text.message'],
  ['.rich, .figure, .row, .links, .countdown, .request', 'above'],
  ['label[for=password]', 'text.label'],
  ['.stay', 'text.stay'],
  ['.field', 'field.radius'],
  ['.sign-in .open', 'text.signInButton'],
  ['.open', 'button.radius'],
  ['.hint', 'text.hint'],
  ['.site', 'logo'],
  ['.small', 'text.smallPrint'],
  ['.foot a', 'home'],
  ['.of', 'text.heading'],
  ['.art', 'picture'],
  ['main', 'card.width'],
  ['body', 'background.picture'],
];

/** What in a drawn screen a property makes; undefined where it is nothing one could point at. */
export function partOf(key: string): string | undefined {
  const own = parts.find(([, property]) => property === key)?.[0];
  if (own !== undefined) return own;
  const [group = ''] = key.split('.');
  const byGroup: Readonly<Record<string, string>> = {
    field: '.field',
    button: '.open',
    card: 'main',
    logo: '.site',
    home: '.foot a',
    below: '.rich, .figure, .row, .links, .countdown, .request',
    picture: '.art',
  };
  if (key === 'text.button') return '.open';
  if (key === 'text.placeholder') return '.field';
  if (key.startsWith('type.heading')) return 'h1';
  return byGroup[group];
}

export const groupOf = (key: string): string | undefined =>
  groups.find(({ properties }) => properties.some((one) => one.key === key))?.id;
