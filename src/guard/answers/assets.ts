import { cspHashOf, hashOf } from '../../core/screen/hash.js';
import { ribbonStyle } from '../../core/screen/ribbon.js';
import type { Screen } from '../../core/screen/screen.js';
import { pageScript, screenScript } from '../browser-scripts.generated.js';

/** A file of Dorlin's own, named by content so that it can be cached for good. */
export interface Asset {
  readonly type: string;
  readonly body: string;
}

const named = (name: string, body: string, ending: string) => `${name}-${hashOf(body).slice(0, 12)}.${ending}`;

export { pageScript };

/** Under `/_dorlin/assets/`: the script of the screen, and the style of the bar. */
export const scriptName = named('screen', screenScript, 'js');
export const ribbonName = named('ribbon', ribbonStyle, 'css');

const css = (body: string): Asset => ({ type: 'text/css; charset=utf-8', body });

/** What screens and pages need besides their HTML. */
export const ownAssets: ReadonlyMap<string, Asset> = new Map([
  [scriptName, { type: 'text/javascript; charset=utf-8', body: screenScript }],
  [ribbonName, css(ribbonStyle)],
]);

/** Of a file that an owner keeps: it shows itself, and does nothing. */
export const keptSecurityPolicy = "default-src 'none'; style-src 'unsafe-inline'; sandbox";

/** The style of the form in the place of a section, where it is to look like the screen. */
export function sectionAsset({ name, sectionStyle }: Screen): [string, Asset] | undefined {
  if (sectionStyle === undefined) return undefined;
  return [named(`section-${name}`, sectionStyle, 'css'), css(sectionStyle)];
}

/**
 * What a screen may load and do (CSP level 3): its own style by hash, and pictures, fonts and the
 * script of the site. With the bar in it, style sheets of the site are allowed, too.
 */
export function contentSecurityPolicy({ style, design }: Screen, hasRibbon: boolean): string {
  return [
    "default-src 'none'",
    `style-src ${cspHashOf(style)}${hasRibbon ? " 'self'" : ''}`,
    "script-src 'self'",
    "img-src 'self' data:",
    ...(design.fontFiles.length > 0 || /@font-face/i.test(design.ownCss) ? ["font-src 'self'"] : []),
    "form-action 'self'",
    "base-uri 'none'",
    "frame-ancestors 'self'",
  ].join('; ');
}
