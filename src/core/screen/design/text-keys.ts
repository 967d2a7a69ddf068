/** How many letters each text may have. */
export const textKeys = {
  heading: 80,
  message: 400,
  label: 60,
  placeholder: 60,
  button: 60,
  stay: 120,
  hint: 400,
  wrong: 300,
  wait: 300,
  closedHeading: 80,
  closedMessage: 400,
  opens: 120,
  signInHeading: 80,
  signInMessage: 400,
  signInButton: 60,
  sentHeading: 80,
  sentMessage: 400,
  home: 80,
  smallPrint: 400,
  sectionLocked: 120,
  sectionClosed: 120,
  sectionButton: 60,
} as const;

export type TextKey = keyof typeof textKeys;
