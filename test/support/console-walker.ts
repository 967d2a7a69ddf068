import type { Browser } from 'playwright-core';
import { atConsole, type RunningConsole } from './console-browser.js';
import { until } from './sites.js';

/** An owner who goes a walk at the console by pointing alone, looked at from the running site. */
export async function walkerAt(
  browser: Browser,
  running: RunningConsole,
  options: Parameters<typeof atConsole>[2] = {},
) {
  const page = await atConsole(browser, running, options);
  const seen = async (path: string, headers?: Record<string, string>) => (await running.visit(path, headers)).status;
  const proposed = async () => {
    const field = page.getByLabel('The password', { exact: true });
    await until(async () => (await field.inputValue()) !== '');
    return field.inputValue();
  };
  const room = async (name: string) => page.getByRole('link', { name, exact: true }).click();
  const closed = () => page.getByRole('dialog').waitFor({ state: 'detached' });
  const door = (name: string) => page.getByRole('region', { name: `The lock ${name}` });
  return Object.assign(page, {
    seen,
    becomes: (path: string, status: number, headers?: Record<string, string>) =>
      until(async () => (await seen(path, headers)) === status),
    room,
    door,
    proposed,
    choose: async (...places: string[]) => {
      await room('Places');
      for (const [at, place] of places.entries()) {
        await page.getByLabel('Find a page').fill(place.replace(/\/$/, ''));
        await page.row(place).click(at === 0 ? {} : { modifiers: ['Control'] });
      }
      await page.getByLabel('Find a page').fill('');
    },
    /** Locks what is chosen under a lock of this name; gives back the password that is proposed. */
    lock: async (name: string, comesIn: 'password' | 'others' = 'password') => {
      await page.press('Lock');
      await page.getByLabel('Its name').fill(name);
      if (comesIn === 'others') await page.getByText('without: only by roles').click();
      const password = comesIn === 'others' ? '' : await proposed();
      await page.press('Lock it');
      await closed();
      return password;
    },
    release: async () => {
      await page.press('Release');
      await page.press('Release');
      await closed();
    },
    /** Changes one sentence at the door of a lock. */
    say: async (lock: string, sentence: string | RegExp, choice: string) => {
      await door(lock).getByRole('button', { name: sentence }).click();
      await page.getByRole('dialog').getByText(choice, { exact: true }).click();
      await page.press('Put it in the draft');
      await closed();
    },
    letIn: async (name: string, who: string, value?: readonly [string, string], where = 'At every lock, also') => {
      await room('Ways in');
      await page.getByRole('button', { name: 'Let somebody in' }).click();
      await page.getByLabel('Name of this rule').fill(name);
      await page.getByText(who, { exact: true }).click();
      if (value !== undefined) await page.getByLabel(value[0]).fill(value[1]);
      if (where === 'At every lock, also') await page.getByText(where).click();
      else await page.getByRole('checkbox', { name: where, exact: true }).check();
      await page.press('Let them in');
      await closed();
    },
    /** Makes a screen from a look, with some of its properties, by group. */
    screen: async (
      name: string,
      look: string,
      lock: string,
      properties: Readonly<Record<string, Readonly<Record<string, string>>>> = {},
    ) => {
      await room('Screens');
      await page.press('New screen');
      await page.getByRole('dialog').getByText(look, { exact: true }).click();
      await page.getByLabel('Its name').fill(name);
      await page.getByLabel('Shown at').selectOption(lock);
      await page.press('Make it');
      await page.getByRole('heading', { name }).waitFor();
      for (const [group, values] of Object.entries(properties)) {
        await page.locator('.properties summary').getByText(group, { exact: true }).click();
        for (const [key, value] of Object.entries(values))
          await page.locator(`#p-${key.replaceAll('.', '-')}`).fill(value);
      }
    },
    /** What was designed becomes part of the draft. */
    saveScreen: async () => {
      await page.press('Put it in the draft');
      await page.getByText('As the draft has it').waitFor();
    },
    /** Sets some of the site's settings, by their labels. */
    set: async (group: string, values: Readonly<Record<string, string>>) => {
      await room('Settings');
      const section = page.getByRole('region', { name: group, exact: true });
      for (const [label, value] of Object.entries(values)) {
        const field = section.getByLabel(label, { exact: true });
        const isList = await field.evaluate((element) => element.tagName === 'SELECT');
        await (isList ? field.selectOption(value) : field.fill(value));
      }
      await section.getByRole('button', { name: /draft/ }).click();
      await section.getByRole('button', { name: /draft/ }).waitFor({ state: 'detached' });
    },
  });
}

export type Walker = Awaited<ReturnType<typeof walkerAt>>;
