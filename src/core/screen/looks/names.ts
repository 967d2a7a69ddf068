/** The finished looks, the one without a name in a policy first. */
export const lookNames = [
  'doorway',
  'harbour',
  'lantern',
  'gazette',
  'orchard',
  'blueprint',
  'ticket',
  'daybreak',
] as const;

export type LookName = (typeof lookNames)[number];
