import { base64url } from 'jose';
import { screenStyle } from '../core/screen/style.js';
import { pageScript, screenScript } from './browser-scripts.generated.js';

/** What the screen needs besides its HTML, named by content so that it can be cached for good. */
export interface ScreenAssets {
  /** Under `/_dorlin/assets/`. */
  readonly scriptName: string;
  readonly files: ReadonlyMap<string, { readonly type: string; readonly body: string }>;
  /** At `/_dorlin/page.js`, for pages with sections and for menus. */
  readonly pageScript: string;
  readonly contentSecurityPolicy: string;
}

export async function screenAssets(): Promise<ScreenAssets> {
  const [style, script] = await Promise.all([sha256(screenStyle), sha256(screenScript)]);
  const scriptName = `screen-${base64url.encode(script.slice(0, 9))}.js`;
  const styleHash = base64url.encode(style).replaceAll('-', '+').replaceAll('_', '/');
  return {
    scriptName,
    pageScript,
    files: new Map([[scriptName, { type: 'text/javascript; charset=utf-8', body: screenScript }]]),
    contentSecurityPolicy: [
      "default-src 'none'",
      `style-src 'sha256-${styleHash}='`,
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
