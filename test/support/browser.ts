import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { chromium, type Browser, type BrowserContextOptions, type Page } from 'playwright-core';

// The first is without windows from the ground up, and takes half the time.
const executablePath = ['chromium-headless-shell', 'chromium', 'chromium-browser']
  .map((name) => `/usr/bin/${name}`)
  .find((path) => existsSync(path));

/** Why browser suites are skipped, if they are. On CI the set-up has failed long before. */
export const skipBrowser = executablePath === undefined ? 'Chromium is missing' : false;

const quiet = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

export function launch(): Promise<Browser> {
  return chromium.launch({
    args: quiet,
    ...(executablePath === undefined ? {} : { executablePath }),
  });
}

/** A page of a fresh private window. */
export async function freshPage(browser: Browser, url: string, options: BrowserContextOptions = {}) {
  const context = await browser.newContext({ baseURL: url, ...options });
  context.setDefaultTimeout(15_000);
  const page = await context.newPage();
  return Object.assign(page, {
    /** Types a password and sends it; done when the answer is there whole. */
    unlock: async (password: string) => {
      await page.locator('input#password').fill(password);
      const answered = page.waitForEvent('load');
      await page.getByRole('button', { name: 'Open the page' }).click();
      await answered;
    },
    /** Types where the page itself has put the focus, which it does only after it is drawn. */
    typeAtOnce: async (text: string) => {
      await page.locator('#password:focus').waitFor();
      await page.keyboard.type(text);
    },
    heading: async () => {
      await page.waitForLoadState();
      return page.locator('h1').innerText();
    },
  });
}

interface Axe {
  readonly run: (
    of: object | string,
    how: object,
  ) => Promise<{
    readonly violations: readonly { readonly id: string; readonly nodes: readonly { readonly html: string }[] }[];
  }>;
}

/** What axe finds wrong with a page: without some of its rules, within some elements or outside of others. */
export async function axeOf(
  page: Page,
  {
    without = [],
    include,
    exclude,
  }: { readonly without?: readonly string[]; readonly include?: string; readonly exclude?: readonly string[] } = {},
): Promise<readonly string[]> {
  const isThere = await page.evaluate(() => 'axe' in window);
  if (!isThere)
    await page.evaluate(await readFile(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8'));
  return page.evaluate(
    async ([rules, inside, outside]) => {
      const { axe } = window as unknown as { readonly axe: Axe };
      const how = {
        // What passes is many times as much, and each of it would be given a selector.
        resultTypes: ['violations'],
        rules: Object.fromEntries(rules.map((rule) => [rule, { enabled: false }])),
        iframes: outside === undefined,
      };
      const { violations } = await axe.run(inside ?? (outside === undefined ? document : { exclude: outside }), how);
      return violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html.slice(0, 200) ?? ''}`);
    },
    [without, include, exclude] as const,
  );
}
