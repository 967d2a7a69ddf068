/** `npm run bench [name…]`: measures and prints; exit 1 where a goal is missed. */
import { benchConsole } from './console.js';
import { benchDecision } from './decision.js';
import { printFigure } from './figures.js';
import { benchFronts } from './fronts.js';
import { benchGuessing } from './guessing.js';
import { benchGuards } from './guards.js';
import { benchHashing } from './hashing.js';
import { benchManySites } from './many-sites.js';
import { benchOwnCost } from './own-cost.js';
import { benchOwner } from './owner.js';
import { benchPatrol } from './patrol.js';
import { benchScale } from './scale.js';
import { benchScreens } from './screens.js';
import { benchSealing } from './sealing.js';
import { benchSections } from './sections.js';
import { benchServing } from './serving.js';
import { benchStart } from './start.js';

const benches = {
  console: benchConsole,
  decision: benchDecision,
  start: benchStart,
  fronts: benchFronts,
  guessing: benchGuessing,
  guards: benchGuards,
  hashing: benchHashing,
  'many-sites': benchManySites,
  owner: benchOwner,
  'own-cost': benchOwnCost,
  patrol: benchPatrol,
  scale: benchScale,
  screens: benchScreens,
  sealing: benchSealing,
  sections: benchSections,
  serving: benchServing,
} as const;

const wanted = process.argv.slice(2);
for (const [name, bench] of Object.entries(benches)) {
  if (wanted.length > 0 && !wanted.includes(name)) continue;
  console.log(name);
  for (const figure of await bench()) {
    printFigure(figure);
    if (!figure.isReached) process.exitCode = 1;
  }
}
