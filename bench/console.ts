import type { Page } from 'playwright-core';
import { launch } from '../test/support/browser.js';
import { atConsole, runConsole } from '../test/support/console-browser.js';
import { median, report, type Figure } from './figures.js';

const pagesOf = (count: number) =>
  Object.fromEntries(
    Array.from({ length: count }, (_, at) => [`part-${at % 20}/page-${at}.html`, `<title>Page ${at}</title>`]),
  );

/** What whoever opens the console of a large site waits for, beside a small one. */
export async function benchConsole(): Promise<Figure[]> {
  const policy = 'dorlin: 1\nsite: { name: Bench, folder: dist }\nlocks: { a: { covers: [/part-3/] } }\n';
  const browser = await launch();
  const [small, large] = await Promise.all([runConsole(policy, pagesOf(10)), runConsole(policy, pagesOf(10_000))]);
  try {
    const opened = async (running: typeof small) => {
      const first = await atConsole(browser, running, { invitation: running.invitation });
      const state = await first.state();
      await first.context().close();
      return async () => {
        const start = performance.now();
        const page = await atConsole(browser, running, { state });
        await page.getByRole('treeitem').first().waitFor();
        const seconds = (performance.now() - start) / 1000;
        return { page, seconds };
      };
    };
    const [openSmall, openLarge] = [await opened(small), await opened(large)];
    const times: { small: number; large: number }[] = [];
    for (let round = 0; round < 7; round++) {
      const [one, other] = [await openSmall(), await openLarge()];
      times.push({ small: one.seconds, large: other.seconds });
      await one.page.context().close();
      await other.page.context().close();
    }
    const { page } = await openLarge();
    // All folders are shut at first in a site of that size; what is searched for is shown.
    await page.getByLabel('Find a page').fill('page-');
    await page.getByRole('treeitem', { name: /page-0,/ }).waitFor();
    const chosen: number[] = [];
    for (let round = 0; round < 9; round++) {
      chosen.push(
        await page.evaluate(`new Promise((resolve) => {
          const tree = document.querySelector('[role=tree]');
          tree.focus();
          const start = performance.now();
          tree.dispatchEvent(new KeyboardEvent('keydown', { key: '${round % 2 === 0 ? 'a' : 'Escape'}', ctrlKey: ${round % 2 === 0}, bubbles: true }));
          requestAnimationFrame(() => setTimeout(() => resolve(performance.now() - start)));
        })`),
      );
    }
    const at = await page.getByRole('heading', { name: /places$/ }).innerText();
    const typing = await typingInDesigner(page, large.url);
    return [
      report('console: first view of a tree of 10,000 pages', median(times.map((one) => one.large)), 's', {
        atMost: 1,
      }),
      report('the same, times one of 10 pages (7 pairs)', median(times.map((one) => one.large / one.small)), '×', {
        atMost: 2,
      }),
      report(
        `choosing ${at} by Ctrl and A, and drawing that`,
        median(chosen.filter((_, round) => round % 2 === 0)),
        'ms',
        { atMost: 200 },
      ),
      report('designer: from a letter typed to the picture with it', typing.whole, 'ms', { atMost: 50 }),
      report('of that, parsing and laying out the same picture alone', typing.drawing, 'ms'),
    ];
  } finally {
    await browser.close();
    await small.close();
    await large.close();
  }
}

/** How long the picture takes to follow what is typed, and how long it takes by itself; medians in milliseconds. */
async function typingInDesigner(
  page: Page,
  url: string,
): Promise<{ readonly whole: number; readonly drawing: number }> {
  await page.goto(new URL('/screens?screen=default', url).href);
  await page.locator('.properties summary').getByText('Words', { exact: true }).click();
  await page.locator('#p-text-heading').waitFor();
  const times = await page.evaluate<{ whole: number[]; drawing: number[] }>(`(async () => {
    const field = document.querySelector('#p-text-heading');
    const inner = document.querySelector('.stage-inner iframe').contentDocument;
    const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
    const turn = () => new Promise((resolve) => { const { port1, port2 } = new MessageChannel(); port1.onmessage = resolve; port2.postMessage(0); });
    const times = { whole: [], drawing: [] };
    for (let round = 0; round < 40; round++) {
      const text = 'Good evening'.slice(0, 3 + (round % 9)) + round;
      const start = performance.now();
      set.call(field, text);
      field.dispatchEvent(new Event('input', { bubbles: true }));
      while (inner.querySelector('h1').textContent !== text) await turn();
      inner.body.getBoundingClientRect();
      times.whole.push(performance.now() - start);
      const html = inner.documentElement.outerHTML;
      const again = performance.now();
      const next = new DOMParser().parseFromString(html, 'text/html');
      inner.body.replaceChildren(...next.body.childNodes);
      inner.body.getBoundingClientRect();
      times.drawing.push(performance.now() - again);
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
    return times;
  })()`);
  return { whole: median(times.whole), drawing: median(times.drawing) };
}
