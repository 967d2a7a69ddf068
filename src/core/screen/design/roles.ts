/** What the colors of a screen are for. The last four are those of a look's drawing. */
export const colorRoles = {
  page: 'the page behind everything',
  pageEnd: 'the other end of the page’s gradient',
  card: 'what the text stands on',
  text: 'headings, labels and what is most read',
  soft: 'messages, hints and small print',
  link: 'links and the button that shows what was typed',
  line: 'lines, and the border of the field',
  field: 'the field',
  fieldText: 'what is typed',
  button: 'the button',
  buttonText: 'what it says',
  buttonLine: 'its border, if it has one',
  focus: 'the ring around what has the focus',
  error: 'what is wrong',
  errorGround: 'what that stands on',
  art: 'the ground of the drawing',
  shade: 'its dark parts',
  shape: 'its shapes',
  glow: 'its light',
} as const;

export type ColorRole = keyof typeof colorRoles;

export const roleNames = Object.keys(colorRoles) as ColorRole[];

/** Font families by a name of ours, each with what machines have of it. */
export const families = {
  plain:
    '"Avenir Next",Avenir,"Segoe UI Variable Text","Segoe UI",Ubuntu,Cantarell,"Noto Sans","DejaVu Sans",sans-serif',
  bookish: '"Iowan Old Style","Palatino Linotype",P052,Palatino,"Noto Serif",serif',
  stately: 'Didot,"Bodoni 72","Playfair Display","Century Schoolbook",C059,"Noto Serif",serif',
  drawn: 'ui-monospace,"SF Mono","Cascadia Code","Cascadia Mono",Menlo,"Noto Sans Mono","DejaVu Sans Mono",monospace',
  round:
    'ui-rounded,"SF Pro Rounded","Hiragino Maru Gothic ProN",Quicksand,Nunito,"Arial Rounded MT Bold","URW Gothic",sans-serif',
  narrow:
    '"Avenir Next Condensed","Roboto Condensed","Arial Narrow","Nimbus Sans Narrow","DejaVu Sans Condensed",sans-serif',
} as const;

/** Where the text stands, or a picture is held. */
export const positions = [
  'top-start',
  'top',
  'top-end',
  'start',
  'center',
  'end',
  'bottom-start',
  'bottom',
  'bottom-end',
] as const;

export type Position = (typeof positions)[number];

/** Shadows by name, as lengths in pixels and an opacity. */
export const shadows = {
  none: { across: 0, down: 0, blur: 0, opacity: 0 },
  soft: { across: 0, down: 6, blur: 24, opacity: 0.14 },
  deep: { across: 0, down: 18, blur: 60, opacity: 0.32 },
  hard: { across: 6, down: 6, blur: 0, opacity: 1 },
} as const;

export type Shadow = keyof typeof shadows;
