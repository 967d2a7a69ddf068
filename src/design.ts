/**
 * What a designer of screens needs, in any runtime: the looks, the reader of a design, the renderer that visitors’
 * screens are drawn by, and the judge of colors. No Node and no DOM.
 *
 * @example
 * const screen = makeScreen('evening', screenSchema.parse({ look: 'lantern' }), 'en');
 * const [language] = screenLanguages(['en']);
 * const html = renderScreen(sampleView(facts, screen, 'ask', language, { now: Date.now() / 1000, script: '' }));
 * @module
 */
export { blockSchema, type Block, type BlockPicture, type RequestDocument } from './core/screen/design/block-schema.js';
export { readColor, type Color } from './core/screen/design/color.js';
export { pairsOf, type Pair } from './core/screen/design/contrast.js';
export type { Control, Design, Look, Palette } from './core/screen/design/design.js';
export type {
  ControlDocument,
  FontFileDocument,
  Layout,
  LogoDocument,
  SomeOf,
  Scheme,
  ScreenDocument,
  Width,
} from './core/screen/design/document.js';
export { filesOf } from './core/screen/design/files.js';
export { nearestPassing } from './core/screen/design/nearest.js';
export type { Texts } from './core/screen/design/parts.js';
export {
  colorRoles,
  families,
  positions,
  roleNames,
  shadows,
  type ColorRole,
  type Position,
  type Shadow,
} from './core/screen/design/roles.js';
export { screenJsonSchema, screenSchema } from './core/screen/design/schema.js';
export { textKeys, type TextKey } from './core/screen/design/text-keys.js';
export { readDesignTokens, tokensOf, type DesignValue } from './core/screen/design/tokens.js';
export type { Json, JsonObject } from './core/screen/design/token-file.js';
export { screenLanguages, type ScreenLanguage } from './core/screen/languages.js';
export { beginning } from './core/screen/looks/begin.js';
export { looks } from './core/screen/looks/looks.js';
export { lookNames, type LookName } from './core/screen/looks/names.js';
export { renderScreen } from './core/screen/render.js';
export { sampleFacts, sampleView, shownStates, type SampleFacts } from './core/screen/sample.js';
export { inScheme, makeScreen, type Screen } from './core/screen/screen.js';
export type { RequestFault, RequestForm, ScreenState, ScreenView } from './core/screen/view.js';
export type { ScreenWords } from './core/screen/words/type.js';
