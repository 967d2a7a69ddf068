import type { Look } from '../design/design.js';
import { blueprint } from './blueprint.js';
import { daybreak } from './daybreak.js';
import { doorway } from './doorway.js';
import { gazette } from './gazette.js';
import { harbour } from './harbour.js';
import { lantern } from './lantern.js';
import type { LookName } from './names.js';
import { orchard } from './orchard.js';
import { ticket } from './ticket.js';

/** The finished looks, by name. */
export const looks: Readonly<Record<LookName, Look>> = {
  doorway,
  harbour,
  lantern,
  gazette,
  orchard,
  blueprint,
  ticket,
  daybreak,
};
