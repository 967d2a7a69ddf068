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
    ];
  } finally {
    await browser.close();
    await small.close();
    await large.close();
  }
}
