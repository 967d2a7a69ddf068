import { checkScreens } from '../core/check/screen-checks.js';
import type { Finding } from '../core/check/table.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { pairsOf } from '../core/screen/design/contrast.js';
import { cspHashOf } from '../core/screen/hash.js';
import { screenLanguages } from '../core/screen/languages.js';
import { renderScreen } from '../core/screen/render.js';
import { sampleFacts, sampleView } from '../core/screen/sample.js';
import type { Screen } from '../core/screen/screen.js';
import { screenStates, type ScreenState } from '../core/screen/view.js';
import { loadPolicy } from '../stores/policy-file.js';
import { screenNamed } from './named.js';
import { withScreenFiles } from './screen-bytes.js';
import { siteFolder } from './site-files.js';

/** A pair of colors that meets on a screen. */
export interface JudgedPair {
  readonly scheme: 'light' | 'dark';
  /** What is drawn, and on what. */
  readonly role: string;
  readonly on: string;
  readonly color: string;
  /** The colors that may be behind it. */
  readonly behind: readonly string[];
  /** The least contrast among them, and what is wanted (WCAG 2.2). */
  readonly ratio: number;
  readonly wanted: number;
  readonly passes: boolean;
  /** The nearest color that would pass, where this one does not. */
  readonly nearest?: string | undefined;
}

/** How screens can be read, and other mistakes in them. */
export interface ScreensChecked {
  readonly screens: readonly { readonly screen: string; readonly pairs: readonly JudgedPair[] }[];
  readonly findings: readonly Finding[];
}

/**
 * Judges the colors of one screen or of all, and looks for other mistakes.
 * @throws DorlinError `screen-unknown`
 */
export async function judgeScreens(policyFile: string, name?: string): Promise<ScreensChecked> {
  const policy = await loadPolicy(policyFile);
  const { nearestPassing } = await import('../core/screen/design/nearest.js');
  const screens = name === undefined ? [...policy.screens.values()] : [screenNamed(policy, name)];
  const names = new Set(screens.map((screen) => screen.name));
  const findings = checkScreens(policy, nearestPassing, Date.now() / 1000);
  return {
    screens: screens.map((screen) => ({
      screen: screen.name,
      pairs: pairsOf(screen.design).map((pair) => {
        const { color, behind, ratio, wanted } = pair;
        const passes = ratio >= wanted;
        const nearest = passes ? undefined : nearestPassing(color, behind, wanted);
        return { ...pair, passes, nearest };
      }),
    })),
    findings: findings.filter(({ about }) => names.has(about)),
  };
}

/** A screen as one HTML file. */
export interface ScreenExport {
  readonly screen: string;
  readonly state: ScreenState;
  readonly language: string;
  /** What needs no other file, and sends nothing. */
  readonly html: string;
}

/** A file that shows looks or screens in all states. */
export interface ScreenSheet {
  readonly file: string;
  /** The looks or screens on it, by name. */
  readonly screens: readonly string[];
  readonly schemes: readonly ('light' | 'dark')[];
}

/** Which view of a screen is wanted. */
export interface ScreenExportOrder {
  readonly state?: string | undefined;
  readonly language?: string | undefined;
  /** Where the site's pictures are; else the policy's folder. */
  readonly folder?: string | undefined;
}

/** @throws DorlinError `screen-unknown`, `state-unknown`, `language-unknown`, `folder-missing`, `file-unusable` */
export async function exportScreen(
  policyFile: string,
  name: string,
  order: ScreenExportOrder = {},
): Promise<ScreenExport> {
  const policy = await loadPolicy(policyFile);
  const screen = screenNamed(policy, name);
  const state = screenStates.find((one) => one === (order.state ?? 'ask'));
  if (state === undefined) {
    throw new DorlinError('state-unknown', `There is no state \`${order.state ?? ''}\`.`, {
      mend: `There are ${screenStates.join(', ')}.`,
    });
  }
  const languages = screenLanguages(policy.site.languages);
  const language = order.language === undefined ? languages[0] : languages.find(({ tag }) => tag === order.language);
  if (language === undefined) {
    const what = `The site does not speak \`${order.language ?? ''}\`.`;
    throw new DorlinError('language-unknown', what, {
      mend: `It speaks ${languages.map(({ tag }) => tag).join(', ')}; to add one: dorlin site languages=…`,
    });
  }
  const view = sampleView(sampleFacts(policy, screen), screen, state, language, { now: Date.now() / 1000, script: '' });
  const html = await standAlone(policyFile, policy, screen, renderScreen(view), order.folder);
  return { screen: name, state, language: language.tag, html };
}

/** A screen with all that it shows in it; nothing can be sent from it. */
async function standAlone(
  policyFile: string,
  policy: Policy,
  screen: Screen,
  rendered: string,
  named: string | undefined,
): Promise<string> {
  let html = rendered.replace(/\n<script src=""><\/script>/, '');
  const hasFolder = named !== undefined || policy.site.folder !== undefined;
  const folder = hasFolder ? siteFolder(policyFile, policy, named) : undefined;
  html = await withScreenFiles(policyFile, policy, screen, html, folder);
  const style = /<style>([\s\S]*?)<\/style>/.exec(html)?.[1] ?? '';
  const csp = `default-src 'none'; style-src ${cspHashOf(style)}; img-src data:; font-src data:; form-action 'none'`;
  return html.replace('<title>', () => `<meta http-equiv="content-security-policy" content="${csp}">\n<title>`);
}
