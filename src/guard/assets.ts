import { base64url } from 'jose';
import { ribbonStyle } from '../core/screen/ribbon.js';
import { screenStyle } from '../core/screen/style.js';
import { pageScript, screenScript } from './browser-scripts.generated.js';

/** What the screen needs besides its HTML, named by content so that it can be cached for good. */
export interface ScreenAssets {
  /** Under `/_dorlin/assets/`. */
  readonly scriptName: string;
  readonly files: ReadonlyMap<string, { readonly type: string; readonly body: string }>;
  /** At `/_dorlin/page.js`, for pages with sections and for menus. */
  readonly pageScript: string;
  /** The style of the bar, under `/_dorlin/assets/`. */
  readonly ribbonName: string;
  /** Of a screen; with the bar in it, style sheets of the site are allowed. */
  readonly contentSecurityPolicy: (hasRibbon: boolean) => string;
}

export async function screenAssets(): Promise<ScreenAssets> {
  const [style, script, ribbon] = (await Promise.all(
    [screenStyle, screenScript, ribbonStyle].map(sha256),
  )) as [Uint8Array, Uint8Array, Uint8Array];
  const scriptName = `screen-${base64url.encode(script.slice(0, 9))}.js`;
  const ribbonName = `ribbon-${base64url.encode(ribbon.slice(0, 9))}.css`;
  const styleHash = base64url.encode(style).replaceAll('-', '+').replaceAll('_', '/');
  return {
    scriptName,
    ribbonName,
    pageScript,
    files: new Map([
      [scriptName, { type: 'text/javascript; charset=utf-8', body: screenScript }],
      [ribbonName, { type: 'text/css; charset=utf-8', body: ribbonStyle }],
    ]),
    contentSecurityPolicy: (hasRibbon) =>
      [
        "default-src 'none'",
        `style-src 'sha256-${styleHash}='${hasRibbon ? " 'self'" : ''}`,
        "script-src 'self'",
        "img-src 'self' data:",
        "form-action 'self'",
        "base-uri 'none'",
        "frame-ancestors 'self'",
      ].join('; '),
  };
}

async function sha256(text: string): Promise<Uint8Array> {
  return new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text)));
}
