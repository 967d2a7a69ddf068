import assert from 'node:assert/strict';
import { join } from 'node:path';
import type { TestContext } from 'node:test';
import type { Browser, Page } from 'playwright-core';
import { axeOf } from './browser.js';
import { following } from './command-line.js';
import { temporaryFolder, writeFiles } from './sites.js';
import { goodPassword } from './consoles.js';

/**
 * A console of the built package over a site of these files, and browsers at it.
 *
 * @param isServed - whether visitors find the site beside it
 */
export async function runConsole(policy: string, files: Readonly<Record<string, string>>, isServed = false) {
  const { folder, remove } = await temporaryFolder();
  await writeFiles(folder, {
    ...Object.fromEntries(Object.entries(files).map(([path, text]) => [`dist/${path}`, text])),
    // Without a policy, the console leads to one.
    ...(policy !== '' && { 'dorlin.yaml': policy }),
  });
  const both = ['serve', '--folder', 'dist', '--port', '0', '--console', '0', '--json'];
  const child = following(folder, isServed ? both : ['console', '--port', '0', '--json']);
  const first = await new Promise<{ url: string; invitation: string; site: string }>((resolve) => {
    child.onPrinted((text) => {
      const lines = text
        .split('\n')
        .filter((one) => one.endsWith('}'))
        .map((one) => JSON.parse(one) as { type: string; url: string; invitation: string });
      const [site, own] = ['listening', 'console'].map((type) => lines.find((one) => one.type === type));
      if (own !== undefined) resolve({ ...own, site: site?.url ?? '' });
    });
  });
  return {
    ...first,
    folder,
    /** What a visitor of the site gets. */
    visit: async (path: string, headers: Readonly<Record<string, string>> = {}) => {
      const answer = await fetch(new URL(path, first.site), { headers, redirect: 'manual' });
      return { status: answer.status, text: await answer.text() };
    },
    /** Tries a password at a lock; what the visitor then gets of some pages. */
    enter: async (lock: string, password: string, paths: readonly string[]) => {
      const body = new URLSearchParams({ lock, password, to: '/' });
      const answer = await fetch(new URL('/_dorlin/unlock', first.site), { method: 'POST', body, redirect: 'manual' });
      const cookie = answer.headers
        .getSetCookie()
        .map((line) => line.split(';', 1)[0])
        .join('; ');
      return Promise.all(
        paths.map(
          async (path) => (await fetch(new URL(path, first.site), { headers: { cookie }, redirect: 'manual' })).status,
        ),
      );
    },
    policyFile: join(folder, 'dorlin.yaml'),
    close: async () => {
      await child.end();
      await remove();
    },
  };
}

export type RunningConsole = Awaited<ReturnType<typeof runConsole>>;

/** A page of somebody at the console, who may have taken an invitation first. */
export async function atConsole(
  browser: Browser,
  { url }: RunningConsole,
  {
    invitation,
    name = 'Imke',
    state,
    ...looks
  }: {
    readonly invitation?: string;
    readonly name?: string;
    readonly state?: Awaited<ReturnType<Awaited<ReturnType<Browser['newContext']>>['storageState']>>;
    readonly width?: number;
    readonly height?: number;
    readonly colorScheme?: 'light' | 'dark';
  } = {},
) {
  const { width = 1280, height = 800, colorScheme = 'light' } = looks;
  const context = await browser.newContext({
    viewport: { width, height },
    colorScheme,
    reducedMotion: 'reduce',
    ...(state !== undefined && { storageState: state }),
  });
  context.setDefaultTimeout(15_000);
  // What a person does: presses of the mouse, choices in lists, and fields that are typed into.
  const steps = { presses: 0, typed: 0 };
  await context.exposeFunction('dorlinStep', (kind: keyof typeof steps) => steps[kind]++);
  await context.addInitScript(counting);
  const page = await context.newPage();
  const problems: string[] = [];
  // What the console’s own page is refused or fails at; framed pages say things of their own.
  page.on('pageerror', (error) => problems.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error' && message.location().url.startsWith(url) && !/40[039]/.test(message.text()))
      problems.push(message.text());
  });
  await page.goto(invitation ?? url);
  if (invitation !== undefined) {
    await page.getByLabel('Name').fill(name);
    await page.getByLabel('Password', { exact: true }).fill(goodPassword);
    await page.getByRole('button', { name: 'Begin' }).click();
  }
  await page
    .getByRole('tree')
    .or(page.getByText('Sign in to look'))
    .or(page.getByRole('list', { name: 'Steps' }))
    .waitFor();
  const begin = () => Object.assign(steps, { presses: 0, typed: 0 });
  // How somebody came in is no part of what they came for.
  begin();
  return Object.assign(page, {
    problems,
    state: () => context.storageState(),
    row: (place: string) => rowOf(page, place),
    /** Presses a button of the topmost dialog, or of the page. */
    press: async (name: string | RegExp) => page.getByRole('button', { name, exact: true }).last().click(),
    goLive: async () => {
      await page.getByRole('button', { name: 'Review and go live' }).click();
      await page.getByRole('button', { name: 'Go live', exact: true }).click();
      await page.getByRole('dialog').waitFor({ state: 'detached' });
    },
    /** What was done until now is no part of the walk. */
    begin,
    /** Says how long a walk was, which is to be no longer than this. */
    walked: async (context: TestContext, most: { readonly presses: number; readonly typed: number }) => {
      // What was told is there once the page has answered.
      await page.evaluate(() => undefined);
      const words = `${steps.presses} presses, ${steps.typed} fields typed`;
      context.diagnostic(words);
      assert.ok(steps.presses <= most.presses && steps.typed <= most.typed, words);
      assert.deepEqual(problems, []);
    },
    /** What axe finds wrong with the page as it stands. */
    axe: () => axeOf(page, { exclude: ['iframe'] }),
  });
}

const rowOf = (page: Page, place: string) =>
  page.getByRole('treeitem', { name: new RegExp(`(^|, )${place.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}, `) });

// As text, as it is read in the page. A field counts once, however it is filled.
const counting = `
  let last;
  // At the document: a press that the driver takes back, as its target had moved, ends at the window and is made again.
  document.addEventListener('pointerdown', () => void dorlinStep('presses'), true);
  addEventListener('change', ({ target }) => void (target instanceof HTMLSelectElement && dorlinStep('presses')), true);
  addEventListener('input', ({ target }) => {
    const isTyped = target instanceof HTMLTextAreaElement ||
      (target instanceof HTMLInputElement && !/radio|checkbox/.test(target.type));
    if (isTyped && target !== last) dorlinStep('typed');
    last = target;
  }, true);
`;
